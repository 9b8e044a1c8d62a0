import type { Knex } from 'knex';
import type { Search, Sighting } from '@nest-mark/core';
import { millis } from '../platform/database/connect';
import type { RunState } from '../platform/runs/model';

interface SearchRow {
  id: string;
  batch_id: string;
  subnet: string;
  port: number;
  station: string;
  state: RunState;
  cursor: string;
  total: string;
  reason: string;
  queued_at: Date;
}

interface SightingRow {
  id: string;
  batch_id: string;
  search_id: string;
  address: string;
  port: number;
  hardware_address: string | null;
  banner: string | null;
  host_key: string | null;
  key_proven: boolean;
  at: Date;
}

const toSearch = (row: SearchRow): Search => ({
  id: row.id,
  batchId: row.batch_id,
  subnet: row.subnet,
  port: row.port,
  station: row.station,
  // A search is not held; a run that is counts as running.
  state: row.state === 'held' ? 'running' : row.state,
  done: Number(row.cursor),
  total: Number(row.total),
  message: row.reason,
  at: millis(row.queued_at),
});

const toSighting = (row: SightingRow): Sighting => ({
  id: row.id,
  searchId: row.search_id,
  address: row.address,
  port: row.port,
  hardwareAddress: row.hardware_address,
  banner: row.banner,
  hostKey: row.host_key,
  keyProven: row.key_proven,
  at: millis(row.at),
});

/** Sightings of one device that are told. */
const SIGHTINGS_TOLD = 200;

/** Searches and what they saw. */
export class SearchRepository {
  constructor(private readonly knex: Knex) {}

  /** Keeps what is particular to a search, beside the run that was made for it. */
  async create(
    { id, batchId, subnet, port }: Pick<Search, 'id' | 'batchId' | 'subnet' | 'port'>,
    db: Knex,
  ): Promise<void> {
    await db('search').insert({ id, batch_id: batchId, subnet, port });
  }

  async find(id: string): Promise<Search | null> {
    const row = await this.knex<SearchRow>('search_run').where('id', id).first();
    return row ? toSearch(row) : null;
  }

  async latest(batchId: string): Promise<Search | null> {
    const row = await this.knex<SearchRow>('search_run')
      .where('batch_id', batchId)
      .orderBy('queued_at', 'desc')
      .first();
    return row ? toSearch(row) : null;
  }

  async setUnreachable(id: string, unreachable: number, db: Knex): Promise<void> {
    await db('search').where({ id }).update({ unreachable });
  }

  async addSightings(
    search: Pick<Search, 'id' | 'batchId'>,
    sightings: readonly Omit<Sighting, 'id' | 'at' | 'searchId'>[],
  ): Promise<void> {
    if (sightings.length === 0) return;
    await this.knex('sighting').insert(
      sightings.map((sighting) => ({
        batch_id: search.batchId,
        search_id: search.id,
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
  async setHardware(searchId: string, byAddress: ReadonlyMap<string, string>): Promise<void> {
    await this.knex.raw(
      `update sighting set hardware_address = known.hardware from unnest(?::text[], ?::text[]) as known (address, hardware)
       where search_id = ? and sighting.address = known.address`,
      [[...byAddress.keys()], [...byAddress.values()], searchId],
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

  /** Hosts that showed a host key to a batch's searches, signed with or not, newest first. */
  async ofKey(batchId: string, hostKey: string): Promise<Sighting[]> {
    const rows = await this.knex<SightingRow>('sighting')
      .where({ batch_id: batchId, host_key: hostKey })
      .orderBy('id', 'desc')
      .limit(SIGHTINGS_TOLD);
    return rows.map(toSighting);
  }
}
