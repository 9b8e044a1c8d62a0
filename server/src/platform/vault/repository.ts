import type { Knex } from 'knex';
import { Seal } from './seal';

/** Kept secrets, sealed before they reach the database. */
export class Vault {
  private readonly seal: Seal;

  constructor(
    private readonly knex: Knex,
    key: Buffer,
  ) {
    this.seal = new Seal(key);
  }

  /** Keeps a secret; an empty one forgets what was kept. */
  async put(ownerId: string, kind: string, value: string, db: Knex = this.knex): Promise<void> {
    if (value === '') {
      await db('secret').where({ owner_id: ownerId, kind }).delete();
      return;
    }
    const sealed = this.seal.close(value, `${ownerId}:${kind}`);
    await db('secret').insert({ owner_id: ownerId, kind, sealed }).onConflict(['owner_id', 'kind']).merge();
  }

  /** Keeps secrets of owners that have none of their kind yet; what is kept stays. */
  async putOnce(
    secrets: readonly { ownerId: string; kind: string; value: string }[],
    db: Knex,
  ): Promise<void> {
    const rows = secrets.map(({ ownerId, kind, value }) => ({
      owner_id: ownerId,
      kind,
      sealed: this.seal.close(value, `${ownerId}:${kind}`),
    }));
    // In portions: a statement takes 65,535 values at most.
    for (let at = 0; at < rows.length; at += 2000)
      await db('secret')
        .insert(rows.slice(at, at + 2000))
        .onConflict(['owner_id', 'kind'])
        .ignore();
  }

  /** Secrets of one kind by their owners. @throws VaultError as `get` */
  async getAll(ownerIds: readonly string[], kind: string, db: Knex): Promise<Map<string, string>> {
    const rows = await db('secret')
      .whereIn('owner_id', [...ownerIds])
      .where({ kind })
      .select<{ owner_id: string; sealed: Buffer }[]>('owner_id', 'sealed');
    return new Map(
      rows.map(({ owner_id: owner, sealed }) => [owner, this.seal.open(sealed, `${owner}:${kind}`)]),
    );
  }

  /** Forgets everything that is kept of an owner. */
  async forget(ownerId: string, db: Knex = this.knex): Promise<void> {
    await db('secret').where({ owner_id: ownerId }).delete();
  }

  /** A kept secret, or null. @throws VaultError when it was sealed with another key or altered */
  async get(ownerId: string, kind: string, db: Knex = this.knex): Promise<string | null> {
    const row = await db<{ sealed: Buffer }>('secret')
      .where({ owner_id: ownerId, kind } as never)
      .first('sealed');
    return row ? this.seal.open(row.sealed, `${ownerId}:${kind}`) : null;
  }
}
