import type { Knex } from 'knex';
import {
  PlanSchema,
  type BatchSummary,
  type Device,
  type Plan,
  type RetiredDevice,
  type Surroundings,
} from '@nest-mark/core';
import { millis, millisOrNull } from '../platform/database/connect';

interface BatchRow {
  id: string;
  version: number;
  plan: Omit<Plan, 'devices'>;
  bench_key: string | null;
  updated_at: Date;
}

interface DeviceRow {
  id: string;
  batch_id: string;
  position: number;
  nest: string;
  mark: string;
  host_name: string;
  role: string;
  notes: string;
  overrides: Device['overrides'];
  powered_at: Date | null;
  handed_over_at: Date | null;
  carrier_done_at: Date | null;
  retired_at: Date | null;
  retired_reason: string;
  taken_over_by: string | null;
  taken_over_at: Date | null;
  secrets_forgotten_at: Date | null;
  host_key: string | null;
  host_key_fingerprint: string | null;
}

export interface StoredBatch {
  id: string;
  version: number;
  plan: Plan;
  /** Public half of the bench's own key, a line; null while none was made. */
  benchKey: string | null;
}

/** What is kept of a device beside its plan. */
export interface DeviceRecord {
  deviceId: string;
  poweredAt: number | null;
  handedOverAt: number | null;
  /** When the jumpers of a carrier were confirmed to be out. */
  carrierDoneAt: number | null;
  hostKey: string | null;
  fingerprint: string | null;
}

const toRecord = (row: DeviceRow): DeviceRecord => ({
  deviceId: row.id,
  poweredAt: millisOrNull(row.powered_at),
  handedOverAt: millisOrNull(row.handed_over_at),
  carrierDoneAt: millisOrNull(row.carrier_done_at),
  hostKey: row.host_key,
  fingerprint: row.host_key_fingerprint,
});

const toDevice = (row: DeviceRow): Device => ({
  id: row.id,
  nest: row.nest,
  mark: row.mark,
  hostName: row.host_name,
  role: row.role,
  notes: row.notes,
  overrides: row.overrides,
});

/** A device of a plan belongs to another batch. */
export class DeviceElsewhere extends Error {
  override readonly name = 'DeviceElsewhere';
}

/** Batches with their devices. */
export class BatchRepository {
  constructor(private readonly knex: Knex) {}

  async list(): Promise<BatchSummary[]> {
    const rows = await this.knex('batch')
      .leftJoin('device', (join) => {
        join.on('device.batch_id', 'batch.id').andOnNull('device.retired_at');
      })
      .groupBy('batch.id')
      .orderBy('batch.created_at')
      .select<(BatchRow & { devices: string })[]>('batch.*', this.knex.raw('count(device.id) as devices'));
    return rows.map((row) => ({
      id: row.id,
      name: row.plan.name,
      site: row.plan.site,
      devices: Number(row.devices),
      updatedAt: millis(row.updated_at),
    }));
  }

  async find(id: string): Promise<StoredBatch | null> {
    const row = await this.knex<BatchRow>('batch').where('id', id).first();
    if (!row) return null;
    const devices = await this.planned(id);
    return {
      id,
      version: row.version,
      plan: PlanSchema.parse({ ...row.plan, devices: devices.map(toDevice) }),
      benchKey: row.bench_key,
    };
  }

  async create(id: string, plan: Plan, db: Knex): Promise<void> {
    const { devices, ...rest } = plan;
    await db('batch').insert({ id, plan: JSON.stringify(rest) });
    await this.putDevices(id, devices, db);
  }

  /**
   * Replaces a plan when nobody else has in the meantime.
   * @returns false when the version is no longer the one that was read
   */
  async save(id: string, version: number, plan: Plan, db: Knex): Promise<boolean> {
    const { devices, ...rest } = plan;
    const count = await db('batch')
      .where({ id, version })
      .update({ plan: JSON.stringify(rest), version: version + 1, updated_at: db.fn.now() });
    if (count === 0) return false;
    await this.putDevices(id, devices, db);
    return true;
  }

  /** Puts the bench's key on record, once: one that stands there stays. */
  async setBenchKey(id: string, line: string, db: Knex): Promise<void> {
    await db('batch').where({ id }).whereNull('bench_key').update({ bench_key: line });
  }

  /** Marks that other devices have or had: a mark is printed on a label and must not come back. */
  async marksTaken(devices: readonly Pick<Device, 'id' | 'mark'>[], db: Knex = this.knex): Promise<string[]> {
    const rows = await db<DeviceRow>('device')
      .whereIn(
        'mark',
        devices.map(({ mark }) => mark),
      )
      .select('id', 'mark');
    const own = new Map(devices.map(({ id, mark }) => [id, mark]));
    return rows.filter(({ id, mark }) => own.get(id) !== mark).map(({ mark }) => mark);
  }

  /**
   * Lets transactions that make or change devices follow one another. Marks are compared when a transaction ends, since a
   * save may exchange them; two that end at once with the same mark would wait for each other.
   */
  async oneByOne(db: Knex): Promise<void> {
    await db.raw(`select pg_advisory_xact_lock(hashtextextended('nest-mark devices', 0))`);
  }

  /** Waits for a plan that is being saved, and keeps it as it is until the transaction ends. @returns its version */
  async hold(id: string, db: Knex): Promise<number | null> {
    const row = await db<BatchRow>('batch').where({ id }).forShare().first('version');
    return row?.version ?? null;
  }

  /** Devices of other batches among these ids. */
  async idsTaken(batchId: string, ids: readonly string[]): Promise<boolean> {
    const row = await this.knex<DeviceRow>('device')
      .whereIn('id', [...ids])
      .whereNot('batch_id', batchId)
      .first('id');
    return row !== undefined;
  }

  /** Host names of other batches' devices that proved themselves on a network. */
  async namesSeen(batchId: string): Promise<Surroundings['names']> {
    const rows: Surroundings['names'] = await this.knex('device')
      .join('batch', 'batch.id', 'device.batch_id')
      .whereNot('device.batch_id', batchId)
      .whereNull('device.retired_at')
      .whereIn(
        'device.host_key',
        this.knex('sighting').where('key_proven', true).whereNotNull('host_key').select('host_key'),
      )
      .orderBy('device.host_name')
      .select('device.host_name as hostName', this.knex.raw(`batch.plan->>'name' as "batchName"`));
    return rows;
  }

  async records(batchId: string): Promise<DeviceRecord[]> {
    const rows = await this.planned(batchId);
    return rows.map(toRecord);
  }

  /** What is kept of one device of a batch, retired or not; null when the batch never had it. */
  async recordOf(
    batchId: string,
    deviceId: string,
  ): Promise<
    | (DeviceRecord & {
        retired: RetiredDevice | null;
        takenOver: { by: string; at: number } | null;
        secretsForgottenAt: number | null;
      })
    | null
  > {
    const row = await this.knex<DeviceRow>('device').where({ batch_id: batchId, id: deviceId }).first();
    if (!row) return null;
    const retired = row.retired_at && {
      device: toDevice(row),
      at: millis(row.retired_at),
      reason: row.retired_reason,
    };
    return {
      ...toRecord(row),
      retired,
      takenOver:
        row.taken_over_by !== null && row.taken_over_at !== null
          ? { by: row.taken_over_by, at: millis(row.taken_over_at) }
          : null,
      secretsForgottenAt: millisOrNull(row.secrets_forgotten_at),
    };
  }

  /** Whether the bench was asked to forget the secrets of a device. */
  async isForgotten(deviceId: string): Promise<boolean> {
    const row = await this.knex('device')
      .where({ id: deviceId })
      .whereNotNull('secrets_forgotten_at')
      .first<{ id: string } | undefined>('id');
    return row !== undefined;
  }

  /** Devices that have left the plan, the last one first. */
  async retired(batchId: string): Promise<RetiredDevice[]> {
    const rows = await this.knex<DeviceRow & { retired_at: Date }>('device')
      .where('batch_id', batchId)
      .whereNotNull('retired_at')
      .orderBy([{ column: 'retired_at', order: 'desc' }, { column: 'position' }]);
    return rows.map((row) => ({
      device: toDevice(row),
      at: millis(row.retired_at),
      reason: row.retired_reason,
    }));
  }

  /** Devices among these, or of all, whose host key is not on record. */
  async withoutHostKey(db: Knex, among?: readonly string[]): Promise<string[]> {
    const query = db<DeviceRow>('device').whereNull('host_key').select('id');
    const rows = await (among ? query.whereIn('id', [...among]) : query);
    return rows.map(({ id }) => id);
  }

  /** Puts host keys on record, once: a key that stands there stays. */
  async setHostKeys(
    keys: readonly { deviceId: string; hostKey: string; fingerprint: string }[],
    db: Knex,
  ): Promise<void> {
    await db.raw(
      `update device set host_key = made.key, host_key_fingerprint = made.print
       from unnest(?::uuid[], ?::text[], ?::text[]) as made (id, key, print)
       where device.id = made.id and device.host_key is null`,
      [
        keys.map(({ deviceId }) => deviceId),
        keys.map(({ hostKey }) => hostKey),
        keys.map(({ fingerprint }) => fingerprint),
      ],
    );
  }

  /** Whose host keys these are: devices of all batches, retired ones too. */
  async ownersOfKeys(
    hostKeys: readonly string[],
  ): Promise<{ hostKey: string; batchId: string; hostName: string; batchName: string }[]> {
    return this.knex('device')
      .join('batch', 'batch.id', 'device.batch_id')
      .whereIn('device.host_key', [...hostKeys])
      .select<{ hostKey: string; batchId: string; hostName: string; batchName: string }[]>(
        'device.host_key as hostKey',
        'device.batch_id as batchId',
        'device.host_name as hostName',
        this.knex.raw(`batch.plan->>'name' as "batchName"`),
      );
  }

  /** Writes down that devices were powered or handed over now. @returns those that belong to the batch */
  async stamp(
    batchId: string,
    deviceIds: readonly string[],
    column: 'powered_at' | 'handed_over_at' | 'carrier_done_at',
  ): Promise<string[]> {
    const rows: { id: string }[] = await this.knex('device')
      .where('batch_id', batchId)
      .whereIn('id', [...deviceIds])
      .update({ [column]: this.knex.fn.now() })
      .returning('id');
    return rows.map((row) => row.id);
  }

  /** A card that is written anew starts its device's story over. */
  async resetProgress(deviceIds: readonly string[], db: Knex): Promise<void> {
    await db('device')
      .whereIn('id', [...deviceIds])
      .update({
        powered_at: null,
        handed_over_at: null,
        carrier_done_at: null,
        taken_over_by: null,
        taken_over_at: null,
      });
  }

  private planned(batchId: string): Promise<DeviceRow[]> {
    return this.knex<DeviceRow>('device')
      .where('batch_id', batchId)
      .whereNull('retired_at')
      .orderBy('position');
  }

  /** Who left the plan is retired and not deleted: cards, keys and sightings refer to it, and it may come back. */
  private async putDevices(batchId: string, devices: readonly Device[], db: Knex): Promise<void> {
    await db('device')
      .where('batch_id', batchId)
      .whereNull('retired_at')
      .whereNotIn(
        'id',
        devices.map((device) => device.id),
      )
      .update({ retired_at: db.fn.now() });
    if (devices.length === 0) return;
    const kept: unknown[] = await db('device')
      .insert(
        devices.map((device, position) => ({
          id: device.id,
          batch_id: batchId,
          position,
          nest: device.nest,
          mark: device.mark,
          host_name: device.hostName,
          role: device.role,
          notes: device.notes,
          overrides: JSON.stringify(device.overrides),
          retired_at: null,
          retired_reason: '',
        })),
      )
      .onConflict('id')
      .merge([
        'position',
        'nest',
        'mark',
        'host_name',
        'role',
        'notes',
        'overrides',
        'retired_at',
        'retired_reason',
      ])
      .where('device.batch_id', batchId)
      .returning('id');
    if (kept.length < devices.length) throw new DeviceElsewhere();
  }
}
