import { Logger, makeWorkerUtils, run, type Runner } from 'graphile-worker';
import { Pool, type ClientConfig } from 'pg';
import type { Logger as Pino } from 'pino';
import * as z from 'zod';
import { runKinds, type RunKind } from './kinds';
import { taskName } from './job-repository';

/** Names that a station may have: they stand in the queue's own patterns and in lock names. */
export const STATION_NAME = /^[a-z0-9](?:[a-z0-9-]{0,38}[a-z0-9])?$/;

/**
 * How many runs of a kind go on at once on a station. Each kind has a place of its own, so that no long work holds an
 * armed round up: its cards were looked at a moment ago.
 */
const atOnce: Record<RunKind, number> = {
  round: 8,
  'capacity-check': 16,
  // One network interface, and one thread for it.
  search: 1,
  // One for each batch whose boards are awaited; it lasts as long as a person listens.
  watch: 8,
  'image-reading': 2,
  // Whoever mends one board need not wait for the others.
  'bring-up': 8,
  move: 4,
  rehearsal: 4,
  exposure: 2,
};

/**
 * Creates or updates the queue's own tables, and clears away what a killed server of this station left. Call it only
 * while holding the station's lock: then whoever held work of this station is gone, and nobody else's is touched.
 */
export async function prepareQueue(connection: ClientConfig, station: string): Promise<void> {
  const pool = quietPool(connection, 1);
  const utils = await makeWorkerUtils({ pgPool: pool });
  try {
    await utils.migrate();
    const { rows } = await utils.withPgClient((client) =>
      client.query<{ id: string; locked_by: string | null }>(
        `select id::text, locked_by from graphile_worker.jobs
         where task_identifier like '%@' || $1 or task_identifier not like '%@%'`,
        [station],
      ),
    );
    const gone = [...new Set(rows.flatMap(({ locked_by: by }) => (by === null ? [] : [by])))];
    if (gone.length > 0) await utils.forceUnlockWorkers(gone);
    // The runs themselves say what is to be done again; that is queued anew.
    if (rows.length > 0) await utils.completeJobs(rows.map(({ id }) => id));
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

/** Milliseconds between two looks for jobs whose call was missed. */
const LOOK_EVERY = 10_000;

/** Milliseconds before the queue is started again that gave up because the database was away. */
const START_AGAIN = 500;

const JobSchema = z.object({ runId: z.uuid() });

/** Goes through the runs of one kind, and goes on after the database was away. */
async function startLane(
  pool: Pool,
  name: string,
  concurrency: number,
  perform: (runId: string) => Promise<void>,
  pino: Pino,
): Promise<Queue> {
  const logger = new Logger(() => (level, message) => {
    const word: string = level;
    if (word === 'error') pino.error(message);
  });
  const start = (): Promise<Runner> =>
    run({
      pgPool: pool,
      taskList: { [name]: (payload) => perform(JobSchema.parse(payload).runId) },
      logger,
      concurrency,
      // Who queues a job calls (NOTIFY). Looking too is for calls that were missed, and each of a lane's places looks for
      // itself: at the default of two seconds all of them asked 26 times a second, for ever.
      pollInterval: LOOK_EVERY,
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
    },
  };
}

/**
 * Starts working through a station's queue, each kind of run in a lane of its own. Stop it before the process ends.
 * @param perform carries a run out
 */
export async function startQueue(
  connection: ClientConfig,
  station: string,
  perform: (kind: RunKind, runId: string) => Promise<void>,
  pino: Pino,
): Promise<Queue> {
  // One for each lane to be called on, and some for their work.
  const pool = quietPool(connection, runKinds.length + 6);
  const lanes: Queue[] = [];
  const stop = async (): Promise<void> => {
    await Promise.all(lanes.map((lane) => lane.stop()));
    await pool.end();
  };
  try {
    for (const kind of runKinds)
      lanes.push(
        await startLane(pool, taskName(kind, station), atOnce[kind], (runId) => perform(kind, runId), pino),
      );
  } catch (error) {
    await stop();
    throw error;
  }
  return { stop };
}
