import type { Knex } from 'knex';
import { ImageAboutSchema, type FirstBootMethodId, type Image, type ImageAbout } from '@nest-mark/core';
import type { ShelvedImage } from '@nest-mark/station';
import { millis } from './connect';

interface Row {
  id: string;
  title: string;
  source_path: string;
  published_sha256: string;
  state: Image['state'];
  message: string;
  facts: ShelvedImage | null;
  /** As it was kept; earlier versions kept less. */
  about: unknown;
  added_at: Date;
  upload_id: string | null;
  station: string;
}

/** An image with everything that writing needs. */
export interface StoredImage {
  id: string;
  title: string;
  sourcePath: string;
  published: string;
  state: Image['state'];
  /** The upload that it came by; the file of that is ours to remove, a file of the operator's never. */
  uploadId: string | null;
  /** The station on whose disk it is; empty for those of earlier versions, which knew only one. */
  station: string;
  facts: ShelvedImage | null;
  /** The first-boot method that is used: chosen by a person, or detected. */
  method: FirstBootMethodId;
  view: Image;
}

const toImage = (row: Row): StoredImage => {
  const about = ImageAboutSchema.parse(row.about);
  const detected = row.facts?.method ?? 'none';
  const method = about.chosenMethod ?? detected;
  return {
    id: row.id,
    title: row.title,
    sourcePath: row.source_path,
    published: row.published_sha256,
    state: row.state,
    uploadId: row.upload_id,
    station: row.station,
    facts: row.facts,
    method,
    view: {
      id: row.id,
      title: row.title,
      state: row.state,
      message: row.message,
      addedAt: millis(row.added_at),
      packing: row.facts?.packing ?? null,
      packedSize: row.facts?.packedSize ?? null,
      packedSha256: row.facts?.packedSha256 ?? null,
      rawSize: row.facts?.rawSize ?? null,
      rawSha256: row.facts?.rawSha256 ?? null,
      partitions: row.facts?.partitions ?? [],
      method,
      detected,
      methodReason: row.facts?.methodReason ?? '',
      about,
      keptSize: row.facts?.keptSize ?? null,
      unpacked: null,
      bootFiles: row.facts?.bootFiles ?? [],
      seen: row.facts?.seen ?? [],
    },
  };
};

/** Images on the shelf. */
export class ImageRepository {
  constructor(private readonly knex: Knex) {}

  async list(): Promise<StoredImage[]> {
    return (await this.knex<Row>('image').orderBy('added_at')).map(toImage);
  }

  async find(id: string): Promise<StoredImage | null> {
    const row = await this.knex<Row>('image').where('id', id).first();
    return row ? toImage(row) : null;
  }

  /** Another image on a station's shelf whose unpacked content is the same. */
  async findByDigest(rawSha256: string, station: string, notThis: string): Promise<StoredImage | null> {
    const row = await this.knex<Row>('image')
      .where('state', 'ready')
      .whereIn('station', [station, ''])
      .whereNot('id', notThis)
      .whereRaw(`facts->>'rawSha256' = ?`, [rawSha256])
      .first();
    return row ? toImage(row) : null;
  }

  async create(
    image: Pick<StoredImage, 'id' | 'title' | 'sourcePath' | 'published' | 'uploadId' | 'station'>,
    db: Knex,
  ): Promise<void> {
    await db('image').insert({
      id: image.id,
      title: image.title,
      source_path: image.sourcePath,
      published_sha256: image.published,
      upload_id: image.uploadId,
      station: image.station,
      state: 'checking',
    });
  }

  /**
   * Keeps what was found, once; the word width is taken over where nobody has said it.
   * @returns false when the image is not being read any more
   */
  async finish(id: string, facts: ShelvedImage, db: Knex): Promise<boolean> {
    const wordBits = facts.seen.find(({ kind }) => kind === 'width')?.wordBits ?? null;
    const count = await db('image')
      .where({ id, state: 'checking' })
      .update({
        state: 'ready',
        message: '',
        facts: JSON.stringify(facts),
        ...(wordBits === null
          ? {}
          : {
              about: this.knex.raw(
                `case when about->>'wordBits' is null then about || ?::jsonb else about end`,
                [JSON.stringify({ wordBits })],
              ),
            }),
      });
    return count > 0;
  }

  /** Puts an image back to be read, from another path. */
  async checkAgain(id: string, sourcePath: string, uploadId: string | null, db: Knex): Promise<void> {
    await db('image')
      .where('id', id)
      .update({ state: 'checking', source_path: sourcePath, upload_id: uploadId, facts: null });
  }

  /** Keeps an image as it is until the transaction ends. @returns the digest of its octets; null when it is not ready */
  async hold(id: string, db: Knex): Promise<string | null> {
    const row = await db<Row>('image').where({ id, state: 'ready' }).forShare().first('facts');
    return row?.facts?.rawSha256 ?? null;
  }

  /** @returns false when the image is not being read any more */
  async fail(id: string, message: string, db: Knex = this.knex): Promise<boolean> {
    return (await db('image').where({ id, state: 'checking' }).update({ state: 'failed', message })) > 0;
  }

  /** Keeps what a person says of an image. */
  async describe(id: string, title: string, about: ImageAbout): Promise<void> {
    await this.knex('image')
      .where('id', id)
      .update({ title, about: JSON.stringify(about) });
  }

  async remove(id: string): Promise<void> {
    await this.knex('image').where('id', id).delete();
  }

  /** Names of batches that want an image. */
  async neededBy(id: string): Promise<string[]> {
    const rows = await this.knex('batch')
      .whereRaw(`plan->>'imageId' = ?`, [id])
      .orWhereExists(
        this.knex('device')
          .whereRaw('device.batch_id = batch.id and device.retired_at is null')
          .whereRaw(`device.overrides->>'imageId' = ?`, [id]),
      )
      .select<{ name: string }[]>(this.knex.raw(`plan->>'name' as name`));
    return rows.map((row) => row.name);
  }
}
