import type { Knex } from 'knex';
import {
  OwnDescriptionSchema,
  type OwnDescription,
  type OwnMethod,
  type ShelvedMethod,
} from '@nest-mark/core';

interface Row {
  id: string;
  version: number;
  description: unknown;
  /** Titles of the images that take it. */
  images: string[] | null;
}

const toMethod = ({ id, version, description, images }: Row): ShelvedMethod => ({
  id,
  version,
  description: OwnDescriptionSchema.parse(description),
  images: images ?? [],
});

/** First-boot methods that people described. */
export class MethodRepository {
  constructor(private readonly knex: Knex) {}

  async list(db: Knex = this.knex): Promise<ShelvedMethod[]> {
    return (await this.rows(db).orderBy('created_at')).map(toMethod);
  }

  async find(id: string): Promise<ShelvedMethod | null> {
    const row = await this.rows(this.knex).where('id', id).first();
    return row ? toMethod(row) : null;
  }

  /** All of them, one first: a card is more likely of its image's own one. */
  async known(first: OwnMethod | null): Promise<OwnMethod[]> {
    const all = await this.list();
    return first ? [first, ...all.filter(({ id }) => id !== first.id)] : all;
  }

  /**
   * Keeps a description, made anew or changed.
   * @param version the one that was read, 0 for one that was not kept before
   * @returns false when the version is no longer the one that was read
   */
  async save(id: string, description: OwnDescription, version: number): Promise<boolean> {
    const row = { description: JSON.stringify(description) };
    if (version === 0) {
      const made: unknown[] = await this.knex('own_method')
        .insert({ id, ...row })
        .onConflict('id')
        .ignore()
        .returning('id');
      return made.length > 0;
    }
    return (
      (await this.knex('own_method')
        .where({ id, version })
        .update({ ...row, version: version + 1 })) > 0
    );
  }

  /** Keeps a method from being removed until the transaction ends. @returns false when there is none */
  async hold(id: string, db: Knex): Promise<boolean> {
    return (await db('own_method').where({ id }).forShare().first('id')) !== undefined;
  }

  /** Lets nobody hold or change a method until the transaction ends. @returns null when there is none */
  async lock(id: string, db: Knex): Promise<ShelvedMethod | null> {
    if (!(await db('own_method').where({ id }).forUpdate().first('id'))) return null;
    const row = await this.rows(db).where('id', id).first();
    return row ? toMethod(row) : null;
  }

  async remove(id: string, db: Knex): Promise<void> {
    await db('own_method').where({ id }).delete();
  }

  private rows(db: Knex): Knex.QueryBuilder<Row, Row[]> {
    return db<Row>('own_method').select<Row[]>(
      'own_method.*',
      db.raw(
        `(select array_agg(image.title order by image.added_at) from image
          where image.about->>'chosenMethod' = 'own:' || own_method.id) as images`,
      ),
    );
  }
}
