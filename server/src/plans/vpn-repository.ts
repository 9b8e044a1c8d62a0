import type { Knex } from 'knex';

/** A place in the tunnel of a batch. */
export interface VpnPlace {
  /** The batch itself for its hub, a device otherwise. */
  ownerId: string;
  /** Counts addresses from the beginning of the range. */
  number: number;
  publicKey: string;
}

interface Row {
  owner_id: string;
  batch_id: string;
  number: number;
  public_key: string;
}

const toPlace = (row: Row): VpnPlace => ({
  ownerId: row.owner_id,
  number: row.number,
  publicKey: row.public_key,
});

/** Who has which place in the tunnels. */
export class VpnRepository {
  constructor(private readonly knex: Knex) {}

  /** All places of a batch, in the order of their numbers; retired devices keep theirs. */
  async places(batchId: string, db: Knex = this.knex): Promise<VpnPlace[]> {
    const rows = await db<Row>('vpn_peer').where({ batch_id: batchId }).orderBy('number');
    return rows.map(toPlace);
  }

  async add(batchId: string, places: readonly VpnPlace[], db: Knex): Promise<void> {
    if (places.length === 0) return;
    await db('vpn_peer').insert(
      places.map(({ ownerId, number, publicKey }) => ({
        owner_id: ownerId,
        batch_id: batchId,
        number,
        public_key: publicKey,
      })),
    );
  }

  /** Gives a place up, so that another device can have its number. */
  async remove(ownerId: string, db: Knex): Promise<void> {
    await db('vpn_peer').where({ owner_id: ownerId }).delete();
  }
}
