import type { Knex } from 'knex';
import {
  ImageAboutSchema,
  OwnMethodSchema,
  type FirstBootMethodId,
  type Image,
  type ImageAbout,
  type OwnMethod,
  type SystemFacts,
} from '@nest-mark/core';
import type { BootFacts, ShelvedImage } from '@nest-mark/station';
import { millis } from '../platform/database/connect';
import { isAddress } from './address';

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
  /** The method that a person described and chose for it. */
  own: unknown;
  /** Stations that have the same content ready. */
  stations: string[] | null;
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
  /** Its description, where it is an own one. */
  own: OwnMethod | null;
  view: Image;
}

/** Earlier versions took the first FAT partition, and did not say which. */
function bootOf(facts: ShelvedImage | null): Image['boot'] {
  const number =
    facts?.bootPartition ?? facts?.partitions.find(({ offset }) => offset === facts.bootOffset)?.number;
  return number === undefined ? null : { partition: number, reason: facts?.bootReason ?? '' };
}

const toImage = (row: Row): StoredImage => {
  const about = ImageAboutSchema.parse(row.about);
  const detected = row.facts?.method ?? 'none';
  const method = about.chosenMethod ?? detected;
  const own = row.own === null ? null : OwnMethodSchema.parse(row.own);
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
    own,
    view: {
      id: row.id,
      title: row.title,
      state: row.state,
      stations: row.stations ?? [],
      message: row.message,
      addedAt: millis(row.added_at),
      packing: row.facts?.packing ?? null,
      packedSize: row.facts?.packedSize ?? null,
      packedSha256: row.facts?.packedSha256 ?? null,
      rawSize: row.facts?.rawSize ?? null,
      rawSha256: row.facts?.rawSha256 ?? null,
      partitions: row.facts?.partitions ?? [],
      method,
      own,
      detected,
      methodReason: row.facts?.methodReason ?? '',
      about,
      boot: bootOf(row.facts),
      keptSize: row.facts?.keptSize ?? null,
      address: isAddress(row.source_path) ? row.source_path : null,
      fetched: null,
      unpacked: null,
      bootFiles: row.facts?.bootFiles ?? [],
      seen: row.facts?.seen ?? [],
      system: row.facts?.system ?? null,
    },
  };
};

/** Images on the shelf. */
export class ImageRepository {
  constructor(private readonly knex: Knex) {}

  async list(): Promise<StoredImage[]> {
    return (await this.rows().orderBy('added_at')).map(toImage);
  }

  async find(id: string): Promise<StoredImage | null> {
    const row = await this.rows().where('id', id).first();
    return row ? toImage(row) : null;
  }

  /** Another image on a station's shelf whose unpacked content is the same. */
  async findByDigest(rawSha256: string, station: string, notThis: string): Promise<StoredImage | null> {
    const row = await this.rows()
      .where('state', 'ready')
      .whereIn('station', [station, ''])
      .whereNot('id', notThis)
      .whereRaw(`facts->>'rawSha256' = ?`, [rawSha256])
      .first();
    return row ? toImage(row) : null;
  }

  /** Whether a station is taking an image of this source in. */
  async isBeingRead(sourcePath: string, station: string, db: Knex): Promise<boolean> {
    return (
      (await db('image').where({ source_path: sourcePath, station, state: 'checking' }).first('id')) !==
      undefined
    );
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

  /** Keeps what the system of a ready image can do, where nobody had looked. */
  async learnSystem(id: string, system: SystemFacts): Promise<void> {
    await this.knex('image')
      .where({ id, state: 'ready' })
      .whereRaw(`facts->'system' is null`)
      .update({ facts: this.knex.raw(`facts || ?::jsonb`, [JSON.stringify({ system })]) });
  }

  /** Puts an image back to be read, from another path. */
  async checkAgain(id: string, sourcePath: string, uploadId: string | null, db: Knex): Promise<void> {
    await db('image')
      .where('id', id)
      .update({ state: 'checking', source_path: sourcePath, upload_id: uploadId, facts: null });
  }

  /**
   * Keeps an image as it is until the transaction ends.
   * @returns the digest of its octets, and where first-boot files go; null when it is not ready
   */
  async hold(id: string, db: Knex): Promise<{ sha256: string; bootOffset: number | null } | null> {
    const row = await db<Row>('image').where({ id, state: 'ready' }).forShare().first('facts');
    return row?.facts ? { sha256: row.facts.rawSha256, bootOffset: row.facts.bootOffset } : null;
  }

  /** @returns false when the image is not being read any more */
  async fail(id: string, message: string, db: Knex = this.knex): Promise<boolean> {
    return (await db('image').where({ id, state: 'checking' }).update({ state: 'failed', message })) > 0;
  }

  /** Keeps what a person says of an image. */
  async describe(id: string, title: string, about: ImageAbout, db: Knex = this.knex): Promise<void> {
    await db('image')
      .where('id', id)
      .update({ title, about: JSON.stringify(about) });
  }

  /** Keeps what was found with another partition for first-boot files. */
  async takeBoot(id: string, found: BootFacts, db: Knex): Promise<void> {
    await db('image')
      .where({ id, state: 'ready' })
      .update({ facts: this.knex.raw(`facts || ?::jsonb`, [JSON.stringify(found)]) });
  }

  async remove(id: string, db: Knex): Promise<void> {
    await db('image').where('id', id).delete();
  }

  /** Lets nobody hold or change an image until the transaction ends. @returns null when there is none */
  async lock(
    id: string,
    db: Knex,
  ): Promise<Pick<Row, 'title' | 'state' | 'source_path' | 'facts' | 'about' | 'station'> | null> {
    return (
      (await db<Row>('image')
        .where('id', id)
        .forUpdate()
        .first('title', 'state', 'source_path', 'facts', 'about', 'station')) ?? null
    );
  }

  /** Names of batches that want an image. */
  async neededBy(id: string, db: Knex): Promise<string[]> {
    const rows = await db('batch')
      .whereRaw(`plan->>'imageId' = ?`, [id])
      .orWhereExists(
        db('device')
          .whereRaw('device.batch_id = batch.id and device.retired_at is null')
          .whereRaw(`device.overrides->>'imageId' = ?`, [id]),
      )
      .select<{ name: string }[]>(db.raw(`plan->>'name' as name`));
    return rows.map((row) => row.name);
  }

  /** Images, each with the stations that have the same content on their disks. */
  private rows(): Knex.QueryBuilder<Row, Row[]> {
    return this.knex<Row>('image').select<Row[]>(
      'image.*',
      this.knex.raw(
        `(select array_agg(distinct other.station order by other.station) from image other
          where other.state = 'ready' and other.station <> ''
            and other.facts->>'rawSha256' = image.facts->>'rawSha256') as stations`,
      ),
      this.knex.raw(
        `(select jsonb_build_object('id', own_method.id, 'description', own_method.description) from own_method
          where image.about->>'chosenMethod' = 'own:' || own_method.id) as own`,
      ),
    );
  }
}
