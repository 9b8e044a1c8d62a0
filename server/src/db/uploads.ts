import type { Knex } from 'knex';

export interface StoredUpload {
  id: string;
  name: string;
  size: number;
  modified: number;
  title: string;
  published: string;
}

interface Row {
  id: string;
  name: string;
  size: string;
  modified: string;
  title: string;
  published_sha256: string;
}

const toUpload = (row: Row): StoredUpload => ({
  id: row.id,
  name: row.name,
  size: Number(row.size),
  modified: Number(row.modified),
  title: row.title,
  published: row.published_sha256,
});

/** Images that are being sent. */
export class UploadRepository {
  constructor(private readonly knex: Knex) {}

  async list(): Promise<StoredUpload[]> {
    return (await this.knex<Row>('upload').orderBy('began_at')).map(toUpload);
  }

  async find(id: string): Promise<StoredUpload | null> {
    const row = await this.knex<Row>('upload').where({ id }).first();
    return row ? toUpload(row) : null;
  }

  /** The upload of the same file that was begun before. */
  async same(
    { name, size, modified }: Pick<StoredUpload, 'name' | 'size' | 'modified'>,
    db: Knex,
  ): Promise<StoredUpload | null> {
    const row = await db('upload').where({ name, size, modified }).first<Row | undefined>();
    return row ? toUpload(row) : null;
  }

  async create({ id, name, size, modified, title, published }: StoredUpload, db: Knex): Promise<void> {
    await db('upload').insert({ id, name, size, modified, title, published_sha256: published });
  }

  async setWishes(id: string, title: string, published: string, db: Knex): Promise<void> {
    await db('upload').where({ id }).update({ title, published_sha256: published });
  }

  /** @returns whether it was there */
  async remove(id: string, db: Knex = this.knex): Promise<boolean> {
    return (await db('upload').where({ id }).delete()) > 0;
  }

  /** Keeps other beginnings out until the transaction ends, so that one file is not begun twice. */
  async lockBeginning(db: Knex): Promise<void> {
    await db.raw(`select pg_advisory_xact_lock(hashtextextended('nest-mark uploads', 0))`);
  }
}
