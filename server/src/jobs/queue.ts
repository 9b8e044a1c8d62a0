import type { Knex } from 'knex';
import { run, makeWorkerUtils, type Runner, type TaskList } from 'graphile-worker';
import type { Logger as Pino } from 'pino';
import { Logger } from 'graphile-worker';
import type { ProveCard } from '@nest-mark/core';
import type { MediumIdentity } from '@nest-mark/station';

/** Work that lasts, by name, with what it needs to know. */
export interface Jobs {
  'write-round': { roundId: string };
  'shelve-image': { imageId: string };
  'prove-card': {
    key: string;
    slotId: string;
    identity: MediumIdentity;
    what: ProveCard['what'];
  };
  scan: { scanId: string };
}

/** Puts a job into the queue as part of a transaction. A job is tried once; what it does is resumed by people. */
export async function addJob<Name extends keyof Jobs>(
  db: Knex,
  name: Name,
  payload: Jobs[Name],
  maxAttempts = 1,
): Promise<void> {
  await db.raw('select graphile_worker.add_job(?, ?::json, max_attempts => ?)', [
    name,
    JSON.stringify(payload),
    maxAttempts,
  ]);
}

/** Creates or updates the queue's own tables, and frees jobs that a killed server held. */
export async function prepareQueue(connectionString: string): Promise<void> {
  const utils = await makeWorkerUtils({ connectionString });
  try {
    await utils.migrate();
    // This process holds the station's lock, so whoever is named here is gone.
    const gone = await utils.withPgClient(async (client) => {
      const { rows } = await client.query<{ locked_by: string }>(
        'select distinct locked_by from graphile_worker.jobs where locked_by is not null',
      );
      return rows.map((row) => row.locked_by);
    });
    if (gone.length > 0) await utils.forceUnlockWorkers(gone);
  } finally {
    await utils.release();
  }
}

/** Starts working through the queue. Stop the runner before the process ends. */
export function startQueue(connectionString: string, taskList: TaskList, pino: Pino): Promise<Runner> {
  const logger = new Logger(() => (level, message) => {
    const word: string = level;
    if (word === 'error') pino.error(message);
  });
  return run({
    connectionString,
    taskList,
    logger,
    concurrency: 4,
    noHandleSignals: true,
    // With the defaults a finished job can stay locked at shutdown.
    preset: { worker: { completeJobBatchDelay: 0, failJobBatchDelay: 0 } },
  });
}
