import { mkdirSync } from 'node:fs';
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import type { TaskList } from 'graphile-worker';
import type { Knex } from 'knex';
import { destination, pino } from 'pino';
import { ProveCardSchema } from '@nest-mark/core';
import { Lab } from '@nest-mark/stand-in';
import { LinuxReader, ReaderSet } from '@nest-mark/station';
import * as z from 'zod';
import { makeApp } from './app';
import { connectDatabase, DatabaseError } from './db/connect';
import { SettingRepository } from './db/settings';
import { plantDemo } from './demo';
import { prepareQueue, startQueue } from './jobs/queue';
import { proveCardJob } from './jobs/prove-card';
import { scanSubnet } from './jobs/scan-subnet';
import { shelve, shelveAnew } from './jobs/shelve-image';
import { recoverRounds, writeRound } from './jobs/write-round';
import { makeContext, type Context } from './services/context';
import { readKeyFile } from './services/vault';

export interface ServerOptions {
  databaseUrl: string;
  /** Where images, the practice bench and the key file live. */
  dataFolder: string;
  /** Port on 127.0.0.1; 0 for any free one. */
  port: number;
  station: string;
  /** First three parts of the practice subnet, as `127.44.7`. */
  practiceNetwork: string;
  webFolder: string | null;
  /** Base image for the demo data; null for none. */
  demoImage: string | null;
  logLevel: string;
}

export interface RunningServer {
  url: string;
  context: Context;
  /** Stops everything that was started; running rounds are left unfinished, and say so. */
  stop(): Promise<void>;
}

const tasks = (context: Context): TaskList => ({
  'write-round': async (payload) =>
    writeRound(context, z.object({ roundId: z.uuid() }).parse(payload).roundId),
  'shelve-image': async (payload) => shelve(context, z.object({ imageId: z.uuid() }).parse(payload).imageId),
  'prove-card': async (payload) =>
    proveCardJob(context, ProveCardSchema.omit({ confirm: true }).extend({ key: z.string() }).parse(payload)),
  scan: async (payload) => scanSubnet(context, z.object({ scanId: z.uuid() }).parse(payload).scanId),
});

/** The part of Knex's client that gives out one connection for keeps; its own types leave it open. */
interface Pool {
  acquireConnection(): Promise<unknown>;
  releaseConnection(connection: unknown): Promise<void>;
}

/** Holds a lock of the database for this station; it ends with the connection, also after a kill. */
async function lockStation(knex: Knex, station: string): Promise<() => Promise<void>> {
  const client = knex.client as Pool;
  const connection = await client.acquireConnection();
  const release = (): Promise<void> => client.releaseConnection(connection);
  const query = `select pg_try_advisory_lock(hashtext(?)) as locked`;
  const { rows } = (await knex.raw(query, [`nest-mark station ${station}`]).connection(connection)) as {
    rows: { locked: boolean }[];
  };
  if (!rows[0]?.locked) {
    await release();
    throw new DatabaseError(
      `The station "${station}" is running already on this database. Stop it first, or open it in the browser.`,
    );
  }
  return async () => {
    await knex.raw('select pg_advisory_unlock_all()').connection(connection);
    await release();
  };
}

/** Idle connections are kept longer than clients wait between requests, so that none is cut as it is used again. */
const keepAliveMs = 65_000;

const listen = (app: ReturnType<typeof makeApp>, port: number): Promise<Server> =>
  new Promise((resolve, reject) => {
    const server = app.listen(port, '127.0.0.1', (error?: Error) =>
      error ? reject(error) : resolve(server),
    );
    server.keepAliveTimeout = keepAliveMs;
  });

/**
 * Starts the server. What was started before a failure is stopped again.
 * @throws DatabaseError, VaultError, or what the port answers
 */
export async function startServer(options: ServerOptions): Promise<RunningServer> {
  const logger = pino({ level: options.logLevel }, destination(2));
  /** How to stop what runs, in the order of starting. */
  const running: (() => unknown)[] = [];
  const stop = async (): Promise<void> => {
    for (let end = running.pop(); end; end = running.pop()) await end();
  };
  try {
    mkdirSync(options.dataFolder, { recursive: true });
    const knex = await connectDatabase(options.databaseUrl);
    running.push(() => knex.destroy());
    running.push(await lockStation(knex, options.station));
    const lab = await Lab.open(join(options.dataFolder, 'practice'), options.practiceNetwork);
    running.push(() => lab.close());
    const settings = new SettingRepository(knex);
    const reader = new ReaderSet([
      { reader: lab.reader, offered: () => true },
      { reader: new LinuxReader(), offered: async () => (await settings.bench()).realReaders },
    ]);
    const context = makeContext({
      knex,
      key: readKeyFile(join(options.dataFolder, 'secret.key')),
      reader,
      neighbours: lab.neighbours,
      lab,
      station: options.station,
      dataFolder: options.dataFolder,
    });
    running.push(reader.watch(() => context.events.send({ type: 'slots' })));
    lab.watch(() => context.events.send({ type: 'practice' }));
    await recoverRounds(context);
    await context.scans.interruptOpen();
    await context.cards.interruptProofs();
    await prepareQueue(options.databaseUrl);
    await shelveAnew(context);
    const runner = await startQueue(options.databaseUrl, tasks(context), logger);
    running.push(() => {
      for (const stopper of context.stoppers.values()) stopper.abort();
      return runner.stop();
    });
    if (options.demoImage) await plantDemo(context, options.demoImage, options.practiceNetwork, 2222);
    const server = await listen(makeApp(context, logger, options.webFolder), options.port);
    running.push(() => {
      const closed = new Promise((resolve) => server.close(resolve));
      server.closeAllConnections();
      return closed;
    });
    const { port } = server.address() as AddressInfo;
    return { url: `http://127.0.0.1:${String(port)}`, context, stop };
  } catch (error) {
    await stop();
    throw error;
  }
}
