import { chmodSync, existsSync, mkdirSync, statSync } from 'node:fs';
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { destination, pino } from 'pino';
import { Lab } from '@nest-mark/stand-in';
import {
  addressRequests,
  callIn,
  followNeighbours,
  listFile,
  LinuxReader,
  linuxNeighbours,
  linuxRadio,
  savedOn,
  linuxWay,
  multicast,
  ownPlaces,
  ReaderSet,
  searchInThread,
  type NeighbourTable,
} from '@nest-mark/station';
import { makeApp } from './app';
import { InFlight } from './platform/http/in-flight';
import { noteChangedCards } from './cards';
import { allRoutes, compose, type Domains } from './compose';
import { readLeftImages } from './images';
import { completeIdentities } from './plans';
import { connectDatabase, DatabaseError, migrate } from './platform/database/connect';
import { Listener } from './platform/database/listener';
import type { Route } from './platform/http/route';
import { prepareQueue, startQueue, STATION_NAME } from './platform/queue/queue';
import { StationLock } from './platform/queue/station-lock';
import { Admission, ownAccounts } from './platform/sessions/admission';
import { readKeyFile } from './platform/vault/seal';
import { plantDemo } from './practice';
import { WISH_CHANNEL } from './platform/runs/repository';
import { SettingRepository } from './settings';
import { serveTerminals } from './terminals';

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
  /** The built program of the thread in which searches run. */
  searchProgram: string;
  /** Whether people may open terminals to proved boards; off unless whoever runs the program says so. */
  terminals?: boolean;
  /** Account numbers whose connections come in; by default those of `ownAccounts`. */
  accounts?: ReadonlySet<number>;
  /** Told the address with the one-time key, at the start and after each use. */
  onKey?: (address: string) => void;
  /** Told why the server cannot go on; it is stopped by then. */
  onLost?: (why: Error) => void;
}

export interface RunningServer {
  url: string;
  /** The address with the one-time key, for accounts that are not let in by themselves. */
  keyAddress: string;
  domains: Domains;
  routes: readonly Route[];
  /** Stops everything that was started; running rounds are left unfinished, and say so. */
  stop(): Promise<void>;
}

/** Milliseconds between two looks for events that nobody can want any more. */
const FORGET_EVERY = 3_600_000;

/** Milliseconds for which the database's connections are waited for at the end. */
const CLOSE_WAITS = 1000;

/** Idle connections are kept longer than clients wait between requests, so that none is cut as it is used again. */
const keepAliveMs = 65_000;

const listen = (app: ReturnType<typeof makeApp>, port: number): Promise<Server> =>
  new Promise((resolve, reject) => {
    const server = app.listen(port, '127.0.0.1', (error?: Error) =>
      error ? reject(error) : resolve(server),
    );
    server.keepAliveTimeout = keepAliveMs;
  });

/** Hardware addresses of the practice bench and of the kernel's own table; a search may have met both. */
const bothTables = (lab: Lab): NeighbourTable => ({
  read: async () => {
    const tables = await Promise.all(
      [linuxNeighbours, lab.neighbours].map((table) => table.read().catch(() => new Map<string, string>())),
    );
    return new Map(tables.flatMap((table) => [...table]));
  },
});

/** The data folder, which nobody else may look into. */
function prepareFolder(folder: string): void {
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  // The database's account may have to pass through it; what lies in it is closed to everybody else by itself.
  const passed =
    process.getuid?.() === 0 && (statSync(folder).mode & 0o001) !== 0 && existsSync(join(folder, 'postgres'));
  chmodSync(folder, passed ? 0o711 : 0o700);
  for (const inner of ['shelf', 'practice', 'uploads', 'practice/cards'])
    if (existsSync(join(folder, inner))) chmodSync(join(folder, inner), 0o700);
}

/**
 * Starts the server. What was started before a failure is stopped again.
 * @throws DatabaseError, VaultError, or what the port answers
 */
export async function startServer(options: ServerOptions): Promise<RunningServer> {
  const logger = pino({ level: options.logLevel }, destination(2));
  if (!STATION_NAME.test(options.station))
    throw new DatabaseError(
      `"${options.station}" cannot be the name of a station: small letters, digits and hyphens, at most 40.`,
    );
  /** How to stop what runs, in the order of starting. */
  const running: (() => unknown)[] = [];
  const closing = new AbortController();
  const stop = async (): Promise<void> => {
    closing.abort();
    for (let end = running.pop(); end; end = running.pop()) await end();
  };
  const connection = { connectionString: options.databaseUrl };
  try {
    prepareFolder(options.dataFolder);
    const knex = await connectDatabase(options.databaseUrl);
    // A pool waits for what it gave out, for ever where the database went away in the middle of it.
    running.push(() => Promise.race([knex.destroy(), pause(CLOSE_WAITS, undefined, { ref: false })]));
    const lock = await StationLock.take(connection, options.station, (why) => {
      logger.error(why);
      void stop().then(() => options.onLost?.(why));
    });
    running.push(() => lock.release());
    await migrate(knex);
    const lab = await Lab.open(join(options.dataFolder, 'practice'), options.practiceNetwork);
    running.push(() => lab.close());
    const settings = new SettingRepository(knex, options.station);
    const ownReaders = new LinuxReader();
    const reader = new ReaderSet([
      { reader: lab.reader, offered: async () => (await settings.station()).practice },
      { reader: ownReaders, offered: async () => (await settings.station()).realReaders },
    ]);
    const neighbours = bothTables(lab);
    const ears = {
      listeners: [multicast, addressRequests, followNeighbours(neighbours), callIn, listFile],
      way: linuxWay,
      places: async () => [...((await settings.station()).practice ? [lab.place] : []), ...ownPlaces()],
    };
    const domains = compose({
      knex,
      key: readKeyFile(join(options.dataFolder, 'secret.key')),
      reader,
      disks: ownReaders,
      neighbours,
      ears,
      radios: [
        { radio: lab.radio, saved: lab.saved, offered: async () => (await settings.station()).practice },
        { radio: linuxRadio, saved: savedOn(), offered: () => Promise.resolve(true) },
      ],
      agent: process.env['SSH_AUTH_SOCK'] ?? null,
      terminals: options.terminals ?? false,
      lab,
      station: options.station,
      dataFolder: options.dataFolder,
      closing: closing.signal,
      search: searchInThread(options.searchProgram),
      settings,
    });
    const { platform, runs } = domains;
    const { events } = platform;
    await events.start();
    // What was told last reaches the other stations too, unless the database is away.
    running.push(() => Promise.race([events.settled(), pause(CLOSE_WAITS, undefined, { ref: false })]));
    const wishes = {
      channel: WISH_CHANNEL,
      heard: (runId: string) => void runs.heed(runId).catch(() => undefined),
    };
    const listener = new Listener(connection, [...events.hearings, wishes], () => {
      events.look();
      void runs.heedAll().catch(() => undefined);
    });
    await listener.start();
    running.push(() => listener.close());
    let looking: Promise<void> = Promise.resolve();
    const mediaChanged = (): void => {
      events.send({ type: 'slots' });
      // One look after the other; what one of them misses, the next one sees.
      looking = looking
        .then(() => noteChangedCards(domains.cards))
        .catch((error: unknown) => logger.warn(error));
    };
    // No look begins after the last one was waited for: the pool would be gone in the middle of it.
    running.push(() => looking, reader.watch(mediaChanged));
    lab.watch(() => events.send({ type: 'practice' }));
    await completeIdentities(domains.plans);
    await prepareQueue(connection, options.station);
    await runs.recover();
    await readLeftImages(domains.images);
    // Work begins only while this process is sure to be its station.
    const perform: typeof runs.perform = async (kind, runId) => {
      await lock.whenHeld();
      return runs.perform(kind, runId);
    };
    const queue = await startQueue(connection, options.station, perform, logger);
    running.push(() => {
      runs.stopAll();
      return queue.stop();
    });
    const forgetting = setInterval(
      () => void events.repository.forgetOld().catch(() => undefined),
      FORGET_EVERY,
    );
    forgetting.unref();
    running.push(() => clearInterval(forgetting));
    if (options.demoImage) await plantDemo(domains, options.demoImage, options.practiceNetwork, 2222);
    const admission = new Admission({
      accounts: options.accounts ?? ownAccounts(),
      onKey: (address) => options.onKey?.(address),
    });
    const routes = allRoutes(domains);
    const inFlight = new InFlight();
    // What is being answered reaches its end, unless the database is away.
    running.push(() => Promise.race([inFlight.settled(), pause(CLOSE_WAITS, undefined, { ref: false })]));
    const app = makeApp({ routes, inFlight, events, admission, logger, webFolder: options.webFolder });
    const server = await listen(app, options.port);
    const { port } = server.address() as AddressInfo;
    const url = `http://127.0.0.1:${String(port)}`;
    admission.watch(server, url);
    serveTerminals(server, admission, domains.terminals);
    running.push(() => {
      const closed = new Promise((resolve) => server.close(resolve));
      server.closeAllConnections();
      return closed;
    });
    return { url, keyAddress: admission.address(), domains, routes, stop };
  } catch (error) {
    await stop();
    throw error;
  }
}
