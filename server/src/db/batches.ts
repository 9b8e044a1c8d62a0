import type { Knex } from 'knex';
import { PlanSchema, type BatchSummary, type Device, type Plan, type Surroundings } from '@nest-mark/core';
import { millis, millisOrNull } from './connect';

interface BatchRow {
  id: string;
  version: number;
  plan: Omit<Plan, 'devices'>;
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
  host_key: string | null;
  host_key_fingerprint: string | null;
}

export interface StoredBatch {
  id: string;
  version: number;
  plan: Plan;
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

const toDevice = (row: DeviceRow): Device => ({
  id: row.id,
  nest: row.nest,
  mark: row.mark,
  hostName: row.host_name,
  role: row.role,
  notes: row.notes,
  overrides: row.overrides,
});

/** Batches with their devices. */
export class BatchRepository {
  constructor(private readonly knex: Knex) {}

  async list(): Promise<BatchSummary[]> {
    const rows = await this.knex('batch')
      .leftJoin('device', 'device.batch_id', 'batch.id')
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
    const devices = await this.knex<DeviceRow>('device').where('batch_id', id).orderBy('position');
    return {
      id,
      version: row.version,
      plan: PlanSchema.parse({ ...row.plan, devices: devices.map(toDevice) }),
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

  /** Marks of other batches among these. */
  async marksTaken(batchId: string, marks: readonly string[]): Promise<string[]> {
    const rows = await this.knex<DeviceRow>('device')
      .whereIn('mark', [...marks])
      .whereNot('batch_id', batchId)
      .select('mark');
    return rows.map((row) => row.mark);
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
      .whereIn(
        'device.host_key',
        this.knex('sighting').where('key_proven', true).whereNotNull('host_key').select('host_key'),
      )
      .orderBy('device.host_name')
      .select('device.host_name as hostName', this.knex.raw(`batch.plan->>'name' as "batchName"`));
    return rows;
  }

  async records(batchId: string): Promise<DeviceRecord[]> {
    const rows = await this.knex<DeviceRow>('device').where('batch_id', batchId).orderBy('position');
    return rows.map((row) => ({
      deviceId: row.id,
      poweredAt: millisOrNull(row.powered_at),
      handedOverAt: millisOrNull(row.handed_over_at),
      carrierDoneAt: millisOrNull(row.carrier_done_at),
      hostKey: row.host_key,
      fingerprint: row.host_key_fingerprint,
    }));
  }

  async setHostKey(deviceId: string, hostKey: string, fingerprint: string, db: Knex): Promise<void> {
    await db('device').where('id', deviceId).update({ host_key: hostKey, host_key_fingerprint: fingerprint });
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
      .update({ powered_at: null, handed_over_at: null, carrier_done_at: null });
  }

  private async putDevices(batchId: string, devices: readonly Device[], db: Knex): Promise<void> {
    await db('device')
      .where('batch_id', batchId)
      .whereNotIn(
        'id',
        devices.map((device) => device.id),
      )
      .delete();
    if (devices.length === 0) return;
    await db('device')
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
        })),
      )
      .onConflict('id')
      .merge(['position', 'nest', 'mark', 'host_name', 'role', 'notes', 'overrides']);
  }
}
