import type { Knex } from 'knex';
import { kindOf, type Search, type Sighting } from '@nest-mark/core';
import type { Sought } from '@nest-mark/core/find';
import { millis, millisOrNull } from '../platform/database/connect';
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

interface SoughtRow {
  id: string;
  batch_id: string;
  batch_name: string;
  host_name: string;
  mark: string;
  host_key: string | null;
  powered_at: Date | null;
  hardware: string[] | null;
  named: string[] | null;
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
/** Proofs of one device by which it is told where it was before. */
const PROOFS_TOLD = 20;

/** Seconds between which an arrival has to do with its power-on, and how many of a kind are kept. */
const SOONEST_ARRIVAL = 2;
const LATEST_ARRIVAL = 3600;
const ARRIVALS_KEPT = 200;
/** Milliseconds for which they hold: they are asked for with every look at a batch, and change seldom. */
const ARRIVALS_HOLD = 15_000;

/** Searches and what they saw. */
export class SearchRepository {
  private arrived: { at: number; by: ReadonlyMap<string, number[]> } | null = null;

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

  /** Everything that signed with a key of a batch's devices, by key, newest first; of each key as many as are told. */
  async proofs(batchId: string): Promise<Map<string, Sighting[]>> {
    const { rows }: { rows: SightingRow[] } = await this.knex.raw(
      `select * from (
         select sighting.*, row_number() over (partition by host_key order by id desc) as nth
         from sighting where batch_id = ? and key_proven
       ) as ranked where nth <= ? order by id desc`,
      [batchId, PROOFS_TOLD],
    );
    const byKey = new Map<string, Sighting[]>();
    for (const row of rows) {
      const key = row.host_key ?? '';
      byKey.set(key, [...(byKey.get(key) ?? []), toSighting(row)]);
    }
    return byKey;
  }

  /** Whose board a hardware address is: of the device of a batch that signed there first. */
  async boards(batchId: string): Promise<Map<string, { deviceId: string; hostName: string }>> {
    const { rows }: { rows: { hardware: string; device: string; name: string }[] } = await this.knex.raw(
      `select distinct on (sighting.hardware_address) sighting.hardware_address as hardware, device.id as device,
         device.host_name as name
       from sighting join device on device.host_key = sighting.host_key
       where sighting.batch_id = ? and sighting.key_proven and sighting.hardware_address is not null
       order by sighting.hardware_address, sighting.id`,
      [batchId],
    );
    return new Map(
      rows.map(({ hardware, device, name }) => [hardware, { deviceId: device, hostName: name }]),
    );
  }

  /** Devices of all batches, as clues are held against them. @param bootSeconds of a usual first boot */
  async sought(bootSeconds: number): Promise<(Sought & { batchName: string })[]> {
    const { rows }: { rows: SoughtRow[] } = await this.knex.raw(
      `select device.id, device.batch_id, device.host_name, device.mark, device.host_key, device.powered_at,
         batch.plan->>'name' as batch_name,
         (select array_agg(distinct sighting.hardware_address) from sighting
          where sighting.host_key = device.host_key and sighting.key_proven
            and sighting.hardware_address is not null) as hardware,
         (select array_agg(hardware_address) from named_board where device_id = device.id) as named
       from device join batch on batch.id = device.batch_id where device.retired_at is null`,
    );
    return rows.map((row) => ({
      deviceId: row.id,
      batchId: row.batch_id,
      batchName: row.batch_name,
      hostName: row.host_name,
      mark: row.mark,
      hostKey: row.host_key,
      hardware: row.hardware ?? [],
      named: row.named ?? [],
      poweredAt: millisOrNull(row.powered_at),
      bootSeconds,
    }));
  }

  /**
   * Seconds from the last power-on to the first proof after it, by kind of board, the newest of each; boards of all
   * batches. Those on loopback are stand-ins, which teach nothing about boards.
   */
  async arrivals(): Promise<ReadonlyMap<string, number[]>> {
    const now = performance.now();
    if (this.arrived && now - this.arrived.at < ARRIVALS_HOLD) return this.arrived.by;
    const by = await this.readArrivals();
    this.arrived = { at: now, by };
    return by;
  }

  private async readArrivals(): Promise<Map<string, number[]>> {
    const { rows }: { rows: { profile: string; image: string | null; seconds: number[] }[] } =
      await this.knex.raw(
        `select profile, image, array_agg(seconds order by seconds) as seconds from (
           select coalesce(device.overrides->>'boardProfileId', batch.plan->>'boardProfileId') as profile,
             case when jsonb_exists(device.overrides, 'imageId') then device.overrides->>'imageId' else batch.plan->>'imageId' end as image,
             extract(epoch from first.at - device.powered_at)::double precision as seconds,
             row_number() over (partition by coalesce(device.overrides->>'boardProfileId', batch.plan->>'boardProfileId')
               order by first.at desc) as nth
           from device join batch on batch.id = device.batch_id
           cross join lateral (
             select at, address from sighting where sighting.host_key = device.host_key and key_proven
               and sighting.at >= device.powered_at order by sighting.at limit 1
           ) as first
           where device.powered_at is not null and first.address not like '127.%'
         ) as arrived where seconds between ? and ? and nth <= ? group by profile, image`,
        [SOONEST_ARRIVAL, LATEST_ARRIVAL, ARRIVALS_KEPT],
      );
    return new Map(rows.map(({ profile, image, seconds }) => [kindOf(profile, image), seconds]));
  }
}
