import knexModule, { type Knex } from 'knex';
import * as first from './migrations/0001-first';
import * as plan from './migrations/0002-plan';
import * as cards from './migrations/0003-cards';
import * as safety from './migrations/0004-safety';
import * as runs from './migrations/0005-runs';
import * as ownMethods from './migrations/0006-own-methods';
import * as clues from './migrations/0007-clues';
import * as faults from './migrations/0008-faults';
import * as before from './migrations/0009-before-and-after';
import * as bringUp from './migrations/0010-bring-up';
import * as terminals from './migrations/0011-terminals';
import * as handOver from './migrations/0012-hand-over';
import * as vpn from './migrations/0013-vpn';
import * as boardTimes from './migrations/0014-board-times';
import * as moves from './migrations/0015-moves';
import * as field from './migrations/0016-field';
import * as air from './migrations/0017-air';
import * as signal from './migrations/0018-signal';
import * as uploads from './migrations/0019-uploads';

/** The database cannot be used; the message tells what to do. */
export class DatabaseError extends Error {
  override readonly name = 'DatabaseError';
}

const migrations: Record<string, { up(knex: Knex): Promise<void>; down(knex: Knex): Promise<void> }> = {
  '0001-first': first,
  '0002-plan': plan,
  '0003-cards': cards,
  '0004-safety': safety,
  '0005-runs': runs,
  '0006-own-methods': ownMethods,
  '0007-clues': clues,
  '0008-faults': faults,
  '0009-before-and-after': before,
  '0010-bring-up': bringUp,
  '0011-terminals': terminals,
  '0012-hand-over': handOver,
  '0013-vpn': vpn,
  '0014-board-times': boardTimes,
  '0015-moves': moves,
  '0016-field': field,
  '0017-air': air,
  '0018-signal': signal,
  '0019-uploads': uploads,
};

/** Migrations from the bundle instead of a folder. */
const migrationSource: Knex.MigrationSource<string> = {
  getMigrations: () => Promise.resolve(Object.keys(migrations).sort()),
  getMigrationName: (name) => name,
  getMigration: (name) => {
    const migration = migrations[name];
    return migration
      ? Promise.resolve(migration)
      : Promise.reject(new DatabaseError(`the migration ${name} is not known`));
  },
};

/** Brings the tables up to date; of several stations that start at once one after the other. */
export async function migrate(knex: Knex): Promise<void> {
  await knex.transaction(async (db) => {
    await db.raw(`select pg_advisory_xact_lock(hashtextextended('nest-mark migrations', 0))`);
    // Knex's own lock outlives a process that is killed; whoever holds this one knows that nobody is at it.
    await knex.migrate.forceFreeMigrationsLock();
    await knex.migrate.latest();
  });
}

/**
 * Connects.
 * @throws DatabaseError when the database is not there
 */
export async function connectDatabase(url: string): Promise<Knex> {
  const knex = knexModule({
    client: 'pg',
    connection: url,
    pool: { min: 0, max: 10 },
    migrations: { migrationSource },
    // What goes wrong also rejects its query and is told there.
    log: { warn: () => undefined, error: () => undefined },
  });
  try {
    await knex.raw('select 1');
  } catch (error) {
    await knex.destroy();
    const where = new URL(url);
    throw new DatabaseError(
      `The database at ${where.hostname}:${where.port || '5432'} does not answer (${error instanceof Error ? error.message : String(error)}). ` +
        'Nothing was changed. Start Nest Mark with npm start, which starts its database too.',
    );
  }
  return knex;
}

/** Milliseconds since 1970 of a timestamp column. */
export const millis = (at: Date): number => at.getTime();
export const millisOrNull = (at: Date | null): number | null => (at === null ? null : at.getTime());
