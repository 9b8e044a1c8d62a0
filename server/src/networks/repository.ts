import type { Knex } from 'knex';
import { NetworkSchema, type Network, type SecretFault, type ShelvedNetwork } from '@nest-mark/core';

interface Row {
  id: string;
  version: number;
  network: Network;
  secret_faults: SecretFault[] | null;
}

const toNetwork = ({ id, version, network, secret_faults: faults }: Row): ShelvedNetwork => ({
  ...NetworkSchema.parse(network),
  id,
  version,
  secret: { state: faults ? 'kept' : 'missing', faults: faults ?? [] },
});

/** Wi-Fi networks on the shelf; their keys are in the vault. */
export class NetworkRepository {
  constructor(private readonly knex: Knex) {}

  async list(db: Knex = this.knex): Promise<ShelvedNetwork[]> {
    return (await db<Row>('network').orderBy('created_at')).map(toNetwork);
  }

  async find(id: string): Promise<ShelvedNetwork | null> {
    const row = await this.knex<Row>('network').where('id', id).first();
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
