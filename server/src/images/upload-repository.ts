import type { Knex } from 'knex';

export interface StoredUpload {
  id: string;
  name: string;
  size: number;
  modified: number;
  title: string;
  published: string;
  /** The image that it became, once everything has arrived. */
  imageId: string | null;
}

interface Row {
  id: string;
  station: string;
  name: string;
  size: string;
  modified: string;
  title: string;
  published_sha256: string;
  image_id: string | null;
}

const toUpload = (row: Row): StoredUpload => ({
  id: row.id,
  name: row.name,
  size: Number(row.size),
  modified: Number(row.modified),
  title: row.title,
  published: row.published_sha256,
  imageId: row.image_id,
});

/** Images that are being sent to one station; what gathers on another one's disk is not its business. */
export class UploadRepository {
  constructor(
    private readonly knex: Knex,
    private readonly station: string,
  ) {}

  private get here(): string[] {
    return [this.station, ''];
  }

  async list(): Promise<StoredUpload[]> {
    const rows = this.knex<Row>('upload').whereIn('station', this.here).whereNull('image_id');
    return (await rows.orderBy('began_at')).map(toUpload);
  }

  async find(id: string): Promise<StoredUpload | null> {
    const row = await this.knex<Row>('upload').where({ id }).whereIn('station', this.here).first();
    return row ? toUpload(row) : null;
  }

  /** The upload of the same file that was begun before and has not become an image. */
  async same(
    { name, size, modified }: Pick<StoredUpload, 'name' | 'size' | 'modified'>,
    db: Knex,
  ): Promise<StoredUpload | null> {
    const row = await db('upload')
      .where({ name, size, modified })
      .whereIn('station', this.here)
      .whereNull('image_id')
      .first<Row | undefined>();
    return row ? toUpload(row) : null;
  }

  async create(
    { id, name, size, modified, title, published }: Omit<StoredUpload, 'imageId'>,
    db: Knex,
  ): Promise<void> {
    await db('upload').insert({
      id,
      name,
      size,
      modified,
      title,
      published_sha256: published,
      station: this.station,
    });
  }

  async setWishes(id: string, title: string, published: string, db: Knex): Promise<void> {
    await db('upload').where({ id }).update({ title, published_sha256: published });
  }

  /** Notes the image that it became. @returns whether it had become none before */
  async became(id: string, imageId: string, db: Knex): Promise<boolean> {
    return (await db('upload').where({ id }).whereNull('image_id').update({ image_id: imageId })) > 0;
  }

  /** @returns whether it was there and had become no image */
  async remove(id: string): Promise<boolean> {
    return (await this.knex('upload').where({ id }).whereNull('image_id').delete()) > 0;
  }

  /** Keeps other beginnings out until the transaction ends, so that one file is not begun twice. */
  async lockBeginning(db: Knex): Promise<void> {
    await db.raw(`select pg_advisory_xact_lock(hashtextextended('nest-mark uploads', 0))`);
  }
}
