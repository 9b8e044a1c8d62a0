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
  unreachable: number;
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

const toSighting = (row: SightingRow): Sighting => ({
  id: row.id,
  scanId: row.scan_id,
  address: row.address,
  port: row.port,
  hardwareAddress: row.hardware_address,
  banner: row.banner,
  hostKey: row.host_key,
  keyProven: row.key_proven,
  at: millis(row.at),
});

/** Scans and what they saw. */
export class ScanRepository {
  constructor(private readonly knex: Knex) {}

  /** @returns false when a search of the batch is under way already */
  async create(
    scan: Pick<Scan, 'id' | 'batchId' | 'subnet' | 'port' | 'total'>,
    station: string,
    db: Knex,
  ): Promise<boolean> {
    const { id, batchId, subnet, port, total } = scan;
    const { rows }: { rows: unknown[] } = await db.raw(
      `insert into scan (id, batch_id, subnet, port, total, state, station) values (?, ?, ?, ?, ?, 'queued', ?)
       on conflict (batch_id) where state in ('queued', 'running') do nothing returning id`,
      [id, batchId, subnet, port, total, station],
    );
    return rows.length > 0;
  }

  /** The station whose search it is. */
  async stationOf(id: string): Promise<string | null> {
    return (
      (await this.knex<ScanRow & { station: string }>('scan').where({ id }).first('station'))?.station ?? null
    );
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

  /** Writes down how a search ended, once. @returns false when that is on record already */
  async end(
    id: string,
    end: Pick<Scan, 'state' | 'done' | 'message'>,
    unreachable: number,
    db: Knex,
  ): Promise<boolean> {
    const count = await db('scan')
      .where({ id })
      .whereIn('state', ['queued', 'running'])
      .update({ ...end, unreachable });
    return count > 0;
  }

  /** Ends scans that a killed server of this station left open. */
  async interruptOpen(station: string): Promise<void> {
    await this.knex('scan').whereIn('state', ['queued', 'running']).whereIn('station', [station, '']).update({
      state: 'interrupted',
      message:
        'The program stopped in the middle of the search. What had answered by then is kept; search again.',
    });
  }

  async addSightings(
    scan: Pick<Scan, 'id' | 'batchId'>,
    sightings: readonly Omit<Sighting, 'id' | 'at' | 'scanId'>[],
  ): Promise<void> {
    if (sightings.length === 0) return;
    await this.knex('sighting').insert(
      sightings.map((sighting) => ({
        batch_id: scan.batchId,
        scan_id: scan.id,
        address: sighting.address,
        port: sighting.port,
        hardware_address: sighting.hardwareAddress,
        banner: sighting.banner,
        host_key: sighting.hostKey,
        key_proven: sighting.keyProven,
      })),
    );
  }

  /** Adds what the neighbour table told in the end. */
  async setHardware(scanId: string, byAddress: ReadonlyMap<string, string>): Promise<void> {
    await this.knex.raw(
      `update sighting set hardware_address = known.hardware from unnest(?::text[], ?::text[]) as known (address, hardware)
       where scan_id = ? and sighting.address = known.address`,
      [[...byAddress.keys()], [...byAddress.values()], scanId],
    );
  }

  /** The newest sighting of each address and port that was ever seen for a batch. */
  async sightings(batchId: string): Promise<Sighting[]> {
    const rows = await this.knex<SightingRow>('sighting')
      .where('batch_id', batchId)
      .orderBy(['address', 'port', { column: 'id', order: 'desc' }])
      .select<SightingRow[]>(this.knex.raw('distinct on (address, port) sighting.*'));
    return rows.map(toSighting);
  }
}
