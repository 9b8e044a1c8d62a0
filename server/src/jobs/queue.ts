import type { Knex } from 'knex';
import { Logger, makeWorkerUtils, run, type Runner, type TaskList } from 'graphile-worker';
import { Pool, type ClientConfig } from 'pg';
import type { Logger as Pino } from 'pino';
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
    overrule: string | null;
  };
  scan: { scanId: string };
}

/** Names that a station may have: they stand in the queue's own patterns and in lock names. */
export const STATION_NAME = /^[a-z0-9](?:[a-z0-9-]{0,38}[a-z0-9])?$/;

/** Work belongs to a station by its name: no other station even asks for it. */
const taskName = (name: keyof Jobs, station: string): string => `${name}@${station}`;

interface JobOptions {
  maxAttempts?: number;
  /** Of several jobs with one key only one waits. */
  key?: string;
}

/**
 * Puts a job into a station's queue as part of a transaction. A job is tried once; what it does is resumed by people.
 */
export async function addJob<Name extends keyof Jobs>(
  db: Knex,
  station: string,
  name: Name,
  payload: Jobs[Name],
  { maxAttempts = 1, key }: JobOptions = {},
): Promise<void> {
  await db.raw('select graphile_worker.add_job(?, ?::json, max_attempts => ?, job_key => ?)', [
    taskName(name, station),
    JSON.stringify(payload),
    maxAttempts,
    key ?? null,
  ]);
}

/**
 * Creates or updates the queue's own tables, and clears away what a killed server of this station held. Call it only
 * while holding the station's lock: then whoever held work of this station is gone, and nobody else's is touched.
 */
export async function prepareQueue(connection: ClientConfig, station: string): Promise<void> {
  const pool = quietPool(connection, 1);
  const utils = await makeWorkerUtils({ pgPool: pool });
  try {
    await utils.migrate();
    const { rows } = await utils.withPgClient((client) =>
      client.query<{ id: string; last: boolean; locked_by: string | null }>(
        `select id::text, attempts >= max_attempts or task_identifier not like '%@%' as last, locked_by from graphile_worker.jobs
         where task_identifier like '%@' || $1 or task_identifier not like '%@%'`,
        [station],
      ),
    );
    const gone = [...new Set(rows.flatMap(({ locked_by: by }) => (by === null ? [] : [by])))];
    if (gone.length > 0) await utils.forceUnlockWorkers(gone);
    // Rounds, searches and proofs are marked as interrupted; nobody takes them up again.
    const spent = rows.filter(({ last }) => last).map(({ id }) => id);
    if (spent.length > 0) await utils.completeJobs(spent);
  } finally {
    await utils.release();
    await pool.end();
  }
}

/** A pool whose lost connections are no news: whoever uses one hears of it. */
function quietPool(connection: ClientConfig, max: number): Pool {
  const pool = new Pool({ ...connection, max });
  pool.on('error', () => undefined);
  pool.on('connect', (client) => client.on('error', () => undefined));
  return pool;
}

/** The queue at work. */
export interface Queue {
  stop(): Promise<void>;
}

/** Milliseconds before the queue is started again that gave up because the database was away. */
const START_AGAIN = 500;

/**
 * Starts working through a station's queue, and goes on after the database was away. Stop it before the process ends.
 * @param tasks by the names of `Jobs`
 */
export async function startQueue(
  connection: ClientConfig,
  station: string,
  tasks: { [Name in keyof Jobs]: (payload: unknown) => Promise<void> },
  pino: Pino,
): Promise<Queue> {
  const taskList: TaskList = Object.fromEntries(
    Object.entries(tasks).map(([name, task]) => [taskName(name as keyof Jobs, station), task]),
  );
  const logger = new Logger(() => (level, message) => {
    const word: string = level;
    if (word === 'error') pino.error(message);
  });
  const pool = quietPool(connection, 12);
  const start = (): Promise<Runner> =>
    run({
      pgPool: pool,
      taskList,
      logger,
      concurrency: 4,
      noHandleSignals: true,
      // With the defaults a finished job can stay locked at shutdown.
      preset: { worker: { completeJobBatchDelay: 0, failJobBatchDelay: 0 } },
    });
  let runner = await start();
  const state = { stopped: false };
  const isStopped = (): boolean => state.stopped;
  const watch = async (): Promise<void> => {
    for (;;) {
      await runner.promise.catch((error: unknown) => pino.error(error));
      for (;;) {
        if (isStopped()) return;
        await new Promise((resolve) => setTimeout(resolve, START_AGAIN));
        const next = await start().catch(() => null);
        if (!next) continue;
        runner = next;
        if (isStopped()) await runner.stop().catch(() => undefined);
        break;
      }
    }
  };
  const watching = watch();
  return {
    stop: async () => {
      state.stopped = true;
      await runner.stop().catch(() => undefined);
      await watching;
      await pool.end();
    },
  };
}
