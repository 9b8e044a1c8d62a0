import type { Knex } from 'knex';
import type { RunKind } from './kinds';

/** Work belongs to a station by its name: no other station even asks for it. */
export const taskName = (kind: RunKind, station: string): string => `${kind}@${station}`;

/** Puts a run into a station's queue as part of a transaction. It is tried once; what is tried again is queued again. */
export async function addJob(db: Knex, station: string, kind: RunKind, runId: string): Promise<void> {
  await db.raw('select graphile_worker.add_job(?, ?::json, max_attempts => 1, job_key => ?)', [
    taskName(kind, station),
    JSON.stringify({ runId }),
    runId,
  ]);
}
