import type { Knex } from 'knex';
import {
  NetworkSchema,
  TriedKeySchema,
  type Network,
  type SecretFault,
  type ShelvedNetwork,
  type TriedKey,
} from '@nest-mark/core';

interface TrialRow extends Omit<TriedKey, 'at'> {
  at: string;
}

interface Row {
  id: string;
  version: number;
  network: Network;
  secret_faults: SecretFault[] | null;
  tried: TrialRow | null;
}

const toTried = ({ at, signal, seconds, ...trial }: TrialRow): TriedKey =>
  TriedKeySchema.parse({
    ...trial,
    at: Date.parse(at),
    signal: signal === null ? null : Math.round(signal),
    seconds: Math.round(seconds * 10) / 10,
  });

const toNetwork = ({ id, version, network, secret_faults: faults, tried }: Row): ShelvedNetwork => ({
  ...NetworkSchema.parse(network),
  id,
  version,
  secret: { state: faults ? 'kept' : 'missing', faults: faults ?? [] },
  ...(tried ? { tried: toTried(tried) } : {}),
});

/** Networks with the last trial of their keys, which counts while the network was not saved since. */
const withTrial = (db: Knex) =>
  db('network')
    .select<Row[]>('network.*', db.raw('to_jsonb(trial) as tried'))
    .joinRaw(
      `left join lateral (
        select verdict, message, signal, seconds, adapter, station, at, network_version = network.version as current
        from network_trial
        where network_id = network.id
        order by at desc, id
        limit 1
      ) as trial on true`,
    );

/** Wi-Fi networks on the shelf; their keys are in the vault. */
export class NetworkRepository {
  constructor(private readonly knex: Knex) {}

  async list(db: Knex = this.knex): Promise<ShelvedNetwork[]> {
    return (await withTrial(db).orderBy('network.created_at')).map(toNetwork);
  }

  async find(id: string): Promise<ShelvedNetwork | null> {
    const [row] = await withTrial(this.knex).where('network.id', id);
    return row ? toNetwork(row) : null;
  }

  /** Keeps networks as they are until the transaction ends. @returns their versions */
  async hold(ids: readonly string[], db: Knex): Promise<Map<string, number>> {
    const rows = await db<Row>('network')
      .whereIn('id', [...ids])
      .orderBy('id')
      .forShare()
      .select('id', 'version');
    return new Map(rows.map(({ id, version }) => [id, version]));
  }

  async create(id: string, network: Network, db: Knex): Promise<void> {
    await db('network').insert({ id, network: JSON.stringify(network) });
  }

  /** @returns false when the version is no longer the one that was read */
  async save(id: string, version: number, network: Network, db: Knex): Promise<boolean> {
    const count = await db('network')
      .where({ id, version })
      .update({ network: JSON.stringify(network), version: version + 1 });
    return count > 0;
  }

  /** Writes down how a key was judged; null when none is kept. */
  async setFaults(id: string, faults: readonly SecretFault[] | null, db: Knex): Promise<void> {
    await db('network')
      .where({ id })
      .update({ secret_faults: faults === null ? null : JSON.stringify(faults) });
  }

  async remove(id: string, db: Knex): Promise<void> {
    await db('network').where({ id }).delete();
  }

  /** Names of batches in which a network is planned, for all devices or for some. */
  async neededBy(id: string): Promise<string[]> {
    const wanted = JSON.stringify([{ networkId: id }]);
    const rows = await this.knex('batch')
      .whereRaw(`plan->'networks' @> ?::jsonb`, [wanted])
      .orWhereExists(
        this.knex('device')
          .whereRaw('device.batch_id = batch.id and device.retired_at is null')
          .whereRaw(`device.overrides->'networks' @> ?::jsonb`, [wanted]),
      )
      .select<{ name: string }[]>(this.knex.raw(`plan->>'name' as name`));
    return rows.map(({ name }) => name);
  }
}
