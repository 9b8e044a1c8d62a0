import { join } from 'node:path';
import type { Knex } from 'knex';
import type { CardReader, NeighbourTable, PauseSwitch, Search } from '@nest-mark/station';
import type { Lab } from '@nest-mark/stand-in';
import { BatchRepository } from '../db/batches';
import { BoardRepository } from '../db/boards';
import { CardRepository } from '../db/cards';
import { IdempotencyRepository } from '../db/idempotency';
import { ImageRepository } from '../db/images';
import { LogRepository, type NewEntry } from '../db/log';
import { NetworkRepository } from '../db/networks';
import { RoundRepository } from '../db/rounds';
import { ScanRepository } from '../db/scans';
import { SettingRepository } from '../db/settings';
import { UploadRepository } from '../db/uploads';
import { EventHub } from './events';
import { LiveRounds } from './live-rounds';
import { Vault } from './vault';

/** What everything in the server is made of. */
export interface Context {
  knex: Knex;
  batches: BatchRepository;
  boards: BoardRepository;
  cards: CardRepository;
  settings: SettingRepository;
  networks: NetworkRepository;
  images: ImageRepository;
  uploads: UploadRepository;
  rounds: RoundRepository;
  scans: ScanRepository;
  idempotency: IdempotencyRepository;
  log: LogRepository;
  vault: Vault;
  events: EventHub;
  live: LiveRounds;
  reader: CardReader;
  neighbours: NeighbourTable;
  /** The practice bench, when the station is a stand-in. */
  lab: Lab | null;
  station: string;
  dataFolder: string;
  /** Work that can be stopped, by round or scan id. */
  stoppers: Map<string, AbortController>;
  /** Rounds that are being written, and how to hold them. */
  pauses: Map<string, PauseSwitch>;
  /** Slots whose card is being proved. */
  proving: Set<string>;
  /** Aborted when the program stops: nothing is waited for any more. */
  closing: AbortSignal;
  search: Search;
}

export interface Equipment {
  knex: Knex;
  key: Buffer;
  reader: CardReader;
  neighbours: NeighbourTable;
  lab: Lab | null;
  station: string;
  dataFolder: string;
  closing: AbortSignal;
  search: Search;
}

export function makeContext(equipment: Equipment): Context {
  const { knex, key, ...rest } = equipment;
  return {
    ...rest,
    knex,
    batches: new BatchRepository(knex),
    boards: new BoardRepository(knex),
    cards: new CardRepository(knex),
    settings: new SettingRepository(knex),
    networks: new NetworkRepository(knex),
    images: new ImageRepository(knex),
    uploads: new UploadRepository(knex),
    rounds: new RoundRepository(knex),
    scans: new ScanRepository(knex),
    idempotency: new IdempotencyRepository(knex),
    log: new LogRepository(knex),
    vault: new Vault(knex, key),
    events: new EventHub(),
    live: new LiveRounds(),
    stoppers: new Map(),
    pauses: new Map(),
    proving: new Set(),
  };
}

/** Folder of an image on the shelf. */
export const shelfFolder = (context: Context, imageId: string): string =>
  join(context.dataFolder, 'shelf', imageId);

/** Writes to the log and tells the browsers. */
export async function record(context: Context, ...entries: NewEntry[]): Promise<void> {
  await context.log.add(entries);
  context.events.send({ type: 'log' });
}
