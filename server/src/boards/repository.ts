import type { Knex } from 'knex';
import { BoardProfileSchema, boardProfiles, type BoardProfile, type ShelvedBoard } from '@nest-mark/core';

interface Row {
  id: string;
  version: number;
  profile: BoardProfile;
}

/** Board profiles: those that ship, and over them those that people changed or made. */
export class BoardRepository {
  constructor(private readonly knex: Knex) {}

  async list(db: Knex = this.knex): Promise<ShelvedBoard[]> {
    const rows = await db<Row>('board_profile').orderBy('created_at');
    const stored = new Map(rows.map((row) => [row.id, row]));
    const shipped = boardProfiles.map((profile): ShelvedBoard => {
      const row = stored.get(profile.id);
      return row
        ? { ...BoardProfileSchema.parse(row.profile), version: row.version, origin: 'changed' }
        : { ...profile, version: 0, origin: 'shipped' };
    });
    const ids = new Set(boardProfiles.map(({ id }) => id));
    const own = rows
      .filter(({ id }) => !ids.has(id))
      .map((row): ShelvedBoard => ({
        ...BoardProfileSchema.parse(row.profile),
        version: row.version,
        origin: 'own',
      }));
    return [...shipped, ...own];
  }

  /**
   * Keeps a profile, made anew or changed.
   * @param version the one that was read, 0 for one that was not kept before
   * @returns false when the version is no longer the one that was read
   */
  async save(profile: BoardProfile, version: number, db: Knex = this.knex): Promise<boolean> {
    if (version === 0) {
      const made: unknown[] = await db('board_profile')
        .insert({ id: profile.id, profile: JSON.stringify(profile) })
        .onConflict('id')
        .ignore()
        .returning('id');
      return made.length > 0;
    }
    const count = await db('board_profile')
      .where({ id: profile.id, version })
      .update({ profile: JSON.stringify(profile), version: version + 1 });
    return count > 0;
  }

  /** Forgets what people made of a profile; one that ships is then as it shipped. */
  async remove(id: string): Promise<boolean> {
    return (await this.knex('board_profile').where({ id }).delete()) > 0;
  }

  /** Names of batches in which a profile is planned. */
  async neededBy(id: string): Promise<string[]> {
    const rows = await this.knex('batch')
      .whereRaw(`plan->>'boardProfileId' = ?`, [id])
      .orWhereExists(
        this.knex('device')
          .whereRaw('device.batch_id = batch.id and device.retired_at is null')
          .whereRaw(`device.overrides->>'boardProfileId' = ?`, [id]),
      )
      .select<{ name: string }[]>(this.knex.raw(`plan->>'name' as name`));
    return rows.map(({ name }) => name);
  }
}
