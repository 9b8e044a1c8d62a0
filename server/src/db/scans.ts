import type { Knex } from 'knex';
import type { Scan, Sighting } from '@nest-mark/core';
import { millis } from './connect';

interface ScanRow {
  id: string;
  batch_id: string;
  subnet: string;
  port: number;
  state: Scan['state'];
  done: number;
  total: number;
  message: string;
  at: Date;
}

interface SightingRow {
  id: string;
  batch_id: string;
  scan_id: string;
  address: string;
  port: number;
  hardware_address: string | null;
  banner: string | null;
  host_key: string | null;
  key_proven: boolean;
  at: Date;
}

const toScan = (row: ScanRow): Scan => ({
  id: row.id,
  batchId: row.batch_id,
  subnet: row.subnet,
  port: row.port,
  state: row.state,
  done: row.done,
  total: row.total,
  message: row.message,
  at: millis(row.at),
});

/** Scans and what they saw. */
export class ScanRepository {
  constructor(private readonly knex: Knex) {}

  async create(scan: Pick<Scan, 'id' | 'batchId' | 'subnet' | 'port' | 'total'>, db: Knex): Promise<void> {
    const { id, batchId, subnet, port, total } = scan;
    await db('scan').insert({ id, batch_id: batchId, subnet, port, total, state: 'queued' });
  }

  async find(id: string): Promise<Scan | null> {
    const row = await this.knex<ScanRow>('scan').where('id', id).first();
    return row ? toScan(row) : null;
  }

  async latest(batchId: string): Promise<Scan | null> {
    const row = await this.knex<ScanRow>('scan').where('batch_id', batchId).orderBy('at', 'desc').first();
    return row ? toScan(row) : null;
  }

  async set(id: string, change: Partial<Pick<Scan, 'state' | 'done' | 'message'>>): Promise<void> {
    await this.knex('scan').where('id', id).update(change);
  }

  /** Ends scans that a killed server left open. */
  async interruptOpen(): Promise<void> {
    await this.knex('scan').whereIn('state', ['queued', 'running']).update({ state: 'interrupted' });
  }

  async addSighting(scan: Scan, sighting: Omit<Sighting, 'id' | 'at'>): Promise<void> {
    await this.knex('sighting').insert({
      batch_id: scan.batchId,
      scan_id: scan.id,
      address: sighting.address,
      port: sighting.port,
      hardware_address: sighting.hardwareAddress,
      banner: sighting.banner,
      host_key: sighting.hostKey,
      key_proven: sighting.keyProven,
    });
  }

  /** The newest sighting of each address and port that was ever seen for a batch. */
  async sightings(batchId: string): Promise<Sighting[]> {
    const rows = await this.knex<SightingRow>('sighting')
      .where('batch_id', batchId)
      .orderBy(['address', 'port', { column: 'id', order: 'desc' }])
      .select<SightingRow[]>(this.knex.raw('distinct on (address, port) sighting.*'));
    return rows.map((row) => ({
      id: row.id,
      address: row.address,
      port: row.port,
      hardwareAddress: row.hardware_address,
      banner: row.banner,
      hostKey: row.host_key,
      keyProven: row.key_proven,
      at: millis(row.at),
    }));
  }
}
