import type { LabelSize, SavedLabelSize } from '@nest-mark/core';
import type { Knex } from 'knex';
import { millis, millisOrNull } from '../platform/database/connect';

interface HandedRow {
  id: string;
  taken_over_by: string | null;
  taken_over_at: Date | null;
  secrets_forgotten_at: Date | null;
}

export interface Handed {
  deviceId: string;
  takenOver: { by: string; at: number } | null;
  secretsForgottenAt: number | null;
}

/** Sizes of labels, and whose devices are. */
export class HandOverRepository {
  constructor(private readonly knex: Knex) {}

  async labelSizes(): Promise<SavedLabelSize[]> {
    return this.knex('label_size').orderByRaw('lower(title)').select<SavedLabelSize[]>('id', 'size');
  }

  /** Keeps a size under its title; one of the same title is replaced. */
  async saveLabelSize(id: string, size: LabelSize): Promise<SavedLabelSize> {
    const { rows }: { rows: SavedLabelSize[] } = await this.knex.raw(
      `insert into label_size (id, title, size) values (?, ?, ?)
       on conflict (lower(title)) do update set title = excluded.title, size = excluded.size
       returning id, size`,
      [id, size.title, JSON.stringify(size)],
    );
    const [saved] = rows;
    if (!saved) throw new Error('a size of labels was not kept');
    return saved;
  }

  /** @returns whether it was there */
  async removeLabelSize(id: string): Promise<boolean> {
    return (await this.knex('label_size').where({ id }).delete()) > 0;
  }

  /** How handing over stands, of each device that is in the plan. */
  async handed(batchId: string): Promise<Handed[]> {
    const rows = await this.knex('device')
      .where('batch_id', batchId)
      .whereNull('retired_at')
      .orderBy('position')
      .select<HandedRow[]>('id', 'taken_over_by', 'taken_over_at', 'secrets_forgotten_at');
    return rows.map((row) => ({
      deviceId: row.id,
      takenOver:
        row.taken_over_by !== null && row.taken_over_at !== null
          ? { by: row.taken_over_by, at: millis(row.taken_over_at) }
          : null,
      secretsForgottenAt: millisOrNull(row.secrets_forgotten_at),
    }));
  }

  /** Holds devices against whoever else would change them, until the transaction ends. */
  async lock(batchId: string, deviceIds: readonly string[], db: Knex): Promise<void> {
    await db('batch').where({ id: batchId }).forUpdate().first('id');
    await db('device')
      .where('batch_id', batchId)
      .whereIn('id', [...deviceIds])
      .orderBy('id')
      .forUpdate()
      .select('id');
  }

  /** Writes down who took devices over. @returns those for which that is new */
  async takeOver(batchId: string, deviceIds: readonly string[], by: string, db: Knex): Promise<string[]> {
    const rows: { id: string }[] = await db('device')
      .where('batch_id', batchId)
      .whereIn('id', [...deviceIds])
      .whereRaw('taken_over_by is distinct from ?', [by])
      .update({
        taken_over_by: by,
        taken_over_at: db.fn.now(),
        handed_over_at: db.raw('coalesce(handed_over_at, now())'),
      })
      .returning('id');
    return rows.map(({ id }) => id);
  }

  /** Writes down why a device was retired. @returns its name; null when it is none that was */
  async giveReason(batchId: string, deviceId: string, reason: string, db: Knex): Promise<string | null> {
    const rows: { host_name: string }[] = await db('device')
      .where({ batch_id: batchId, id: deviceId })
      .whereNotNull('retired_at')
      .update({ retired_reason: reason })
      .returning('host_name');
    return rows[0]?.host_name ?? null;
  }

  /** Devices among these that something is being done with: it may need what is to be forgotten. */
  async busy(deviceIds: readonly string[], db: Knex): Promise<string[]> {
    const rows = await db('run_item')
      .whereIn('device_id', [...deviceIds])
      .whereIn('state', ['queued', 'running'])
      .distinct<{ device_id: string }[]>('device_id');
    return rows.map(({ device_id: id }) => id);
  }

  /** Notes that the bench has forgotten devices' secrets. @returns those of which it still had them */
  async forgotten(deviceIds: readonly string[], db: Knex): Promise<string[]> {
    const rows: { id: string }[] = await db('device')
      .whereIn('id', [...deviceIds])
      .whereNull('secrets_forgotten_at')
      .update({ secrets_forgotten_at: db.fn.now() })
      .returning('id');
    return rows.map(({ id }) => id);
  }
}
