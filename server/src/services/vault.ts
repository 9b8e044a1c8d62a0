import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import { closeSync, existsSync, fchmodSync, openSync, readFileSync, writeSync } from 'node:fs';
import type { Knex } from 'knex';

const ivLength = 12;
const tagLength = 16;

/** The key file cannot be used. */
export class VaultError extends Error {}

/** Reads the key file, or makes one that only its owner can read. @throws VaultError when it has another length */
export function readKeyFile(path: string): Buffer {
  if (!existsSync(path)) {
    const file = openSync(path, 'wx', 0o600);
    fchmodSync(file, 0o600);
    writeSync(file, randomBytes(32));
    closeSync(file);
  }
  const key = readFileSync(path);
  if (key.length !== 32)
    throw new VaultError(`The key file ${path} is damaged: 32 bytes are expected. Put back your copy of it.`);
  return key;
}

/**
 * Secrets at rest: AES-256-GCM (NIST SP 800-38D), a random 96-bit nonce each, bound to owner and kind so that
 * a sealed value cannot be moved to another place.
 */
export class Vault {
  constructor(
    private readonly knex: Knex,
    private readonly key: Buffer,
  ) {}

  /** Keeps a secret; an empty one forgets what was kept. */
  async put(ownerId: string, kind: string, value: string, db: Knex = this.knex): Promise<void> {
    if (value === '') {
      await db('secret').where({ owner_id: ownerId, kind }).delete();
      return;
    }
    const sealed = this.seal(value, `${ownerId}:${kind}`);
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
      sealed: this.seal(value, `${ownerId}:${kind}`),
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
    return new Map(rows.map(({ owner_id: owner, sealed }) => [owner, this.open(sealed, `${owner}:${kind}`)]));
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
    return row ? this.open(row.sealed, `${ownerId}:${kind}`) : null;
  }

  private seal(value: string, place: string): Buffer {
    const iv = randomBytes(ivLength);
    const cipher = createCipheriv('aes-256-gcm', this.key, iv).setAAD(Buffer.from(place));
    const body = Buffer.concat([cipher.update(value, 'utf8'), cipher.final()]);
    return Buffer.concat([iv, cipher.getAuthTag(), body]);
  }

  private open(sealed: Buffer, place: string): string {
    try {
      const decipher = createDecipheriv('aes-256-gcm', this.key, sealed.subarray(0, ivLength))
        .setAAD(Buffer.from(place))
        .setAuthTag(sealed.subarray(ivLength, ivLength + tagLength));
      return Buffer.concat([
        decipher.update(sealed.subarray(ivLength + tagLength)),
        decipher.final(),
      ]).toString('utf8');
    } catch {
      throw new VaultError(
        'A kept secret cannot be read: the key file is not the one it was sealed with. Type the secret again.',
      );
    }
  }
}
