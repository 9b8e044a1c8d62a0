import { airRoutes, TrialRepository, type Air, type OfferedRadio } from './air';
import type { Lab } from '@nest-mark/stand-in';
import {
  usualPatience,
  type CardReader,
  type DiskTable,
  type Ears,
  type NeighbourTable,
  type SearchNetwork,
} from '@nest-mark/station';
import type { Knex } from 'knex';
import { BoardRepository, boardRoutes, type Boards } from './boards';
import {
  BringUpRepository,
  bringUpRoutes,
  bringUpRun,
  broughtUp,
  LiveBoards,
  type BringUps,
} from './bringup';
import { CardRepository, capacityRun, cardRoutes, checkRoutes, slotRoutes, type Cards } from './cards';
import {
  BeforeRepository,
  beforeRoutes,
  caseRoutes,
  ClueRepository,
  FaultRepository,
  SearchRepository,
  searchRoutes,
  searchRun,
  watchRoutes,
  watchRun,
  type Finding,
} from './finding';
import { FieldRepository, fieldRoutes, rehearsalRun, type Field } from './field';
import { exposureRoutes, exposureRun, ExposureRepository, type Exposures } from './exposure';
import { exportRoutes, handOverRoutes, HandOverRepository, recordRoutes, type HandOver } from './handover';
import {
  ImageRepository,
  imageReading,
  imageRoutes,
  UploadRepository,
  uploadRoutes,
  type Images,
} from './images';
import { MethodRepository, methodRoutes, type Methods } from './methods';
import { MoveRepository, moveRoutes, moveRun, type Moves } from './moves';
import { NetworkRepository, networkRoutes, type Networks } from './networks';
import { BatchRepository, batchRoutes, VpnRepository, type Plans } from './plans';
import { FoundRepository, passportRoutes, type Passports } from './passport';
import { EventHub } from './platform/events/hub';
import { EventRepository } from './platform/events/repository';
import { healthRoutes } from './platform/http/health';
import { IdempotencyRepository } from './platform/idempotency/repository';
import type { Route } from './platform/http/route';
import { LogRepository } from './platform/log/repository';
import { logRoutes } from './platform/log/routes';
import type { Platform } from './platform/platform';
import { RunRepository } from './platform/runs/repository';
import { Runs } from './platform/runs/runs';
import { Vault } from './platform/vault/repository';
import { practiceRoutes, type Practice } from './practice';
import { LiveRounds, RoundRepository, roundRoutes, roundRun, type Rounds } from './rounds';
import { ReadingRepository, signalRoutes, type Signals } from './signal';
import { OpenTerminals, TerminalRepository, terminalRoutes, type Terminals } from './terminals';
import { settingRoutes, type Settings } from './settings';

/** What a station is made of. */
export interface Equipment {
  knex: Knex;
  /** The key of the vault. */
  key: Buffer;
  station: string;
  dataFolder: string;
  reader: CardReader;
  disks: DiskTable;
  neighbours: NeighbourTable;
  search: SearchNetwork;
  ears: Ears;
  /** Radios of this computer and of the practice bench. */
  radios: readonly OfferedRadio[];
  /** Socket of this computer's SSH agent; null where none runs. */
  agent: string | null;
  /** Whether people may open terminals to boards. */
  terminals: boolean;
  /** The practice bench, where the station has one. */
  lab: Lab | null;
  settings: Settings['repository'];
  /** Aborted when the program stops. */
  closing: AbortSignal;
}

/** All domains, each with what it needs and no more. */
export interface Domains {
  platform: Platform;
  runs: Runs;
  settings: Settings;
  networks: Networks;
  air: Air;
  boards: Boards;
  methods: Methods;
  images: Images;
  plans: Plans;
  cards: Cards;
  rounds: Rounds;
  finding: Finding;
  bringUps: BringUps;
  moves: Moves;
  signals: Signals;
  terminals: Terminals;
  exposures: Exposures;
  passports: Passports;
  handOver: HandOver;
  field: Field;
  practice: Practice;
}

/** Puts the server together: the one place where domains are made and meet. */
export function compose(equipment: Equipment): Domains {
  const { knex, station, closing, reader, disks, neighbours, search, ears, lab } = equipment;
  const platform: Platform = {
    knex,
    station,
    closing,
    log: new LogRepository(knex),
    events: new EventHub(new EventRepository(knex), station, closing),
    idempotency: new IdempotencyRepository(knex),
  };
  const vault = new Vault(knex, equipment.key);
  const runs = new Runs(platform, new RunRepository(knex));
  const settings: Settings = { ...platform, repository: equipment.settings };
  const networks: Networks = { ...platform, repository: new NetworkRepository(knex), vault };
  const air: Air = {
    ...platform,
    repository: new TrialRepository(),
    networks,
    radios: equipment.radios,
    heard: { last: null },
    busy: new Set(),
  };
  const boards: Boards = { ...platform, repository: new BoardRepository(knex) };
  const methods: Methods = { ...platform, repository: new MethodRepository(knex) };
  const written = new RoundRepository(knex);
  const images: Images = {
    ...platform,
    repository: new ImageRepository(knex),
    uploads: new UploadRepository(knex, station),
    runs,
    settings,
    methods,
    folder: equipment.dataFolder,
    inUse: (imageId, db) => written.imageInUse(imageId, db),
  };
  const plans: Plans = {
    ...platform,
    repository: new BatchRepository(knex),
    vpn: new VpnRepository(knex),
    vault,
    networks,
    boards,
    images,
  };
  const cards: Cards = {
    ...platform,
    repository: new CardRepository(knex),
    runs,
    reader,
    disks,
    settings,
    plans,
  };
  const live = new LiveRounds();
  const rounds: Rounds = {
    ...platform,
    repository: written,
    live,
    runs,
    vault,
    reader,
    settings,
    plans,
    cards,
  };
  const boardSteps = new BringUpRepository(knex);
  const finding: Finding = {
    ...platform,
    repository: new SearchRepository(knex),
    clues: new ClueRepository(knex),
    faults: new FaultRepository(knex),
    before: new BeforeRepository(knex),
    broughtUp: (batchId, since) => broughtUp(boardSteps, batchId, since),
    drillOf: (batchId) => lab?.drillOf(batchId) ?? null,
    runs,
    search,
    neighbours,
    ears,
    plans,
    rounds,
  };
  const bringUps: BringUps = {
    ...platform,
    repository: boardSteps,
    live: new LiveBoards(),
    runs,
    plans,
    finding,
    agent: equipment.agent,
    patience: usualPatience,
    terminals: equipment.terminals,
  };
  const moves: Moves = {
    ...platform,
    repository: new MoveRepository(knex),
    runs,
    plans,
    finding,
    bringUps,
  };
  const signals: Signals = {
    ...platform,
    repository: new ReadingRepository(knex),
    air,
    plans,
    bringUps,
  };
  const terminals: Terminals = {
    ...platform,
    repository: new TerminalRepository(knex),
    open: new OpenTerminals(equipment.terminals),
    bringUps,
  };
  const exposures: Exposures = {
    ...platform,
    repository: new ExposureRepository(knex),
    runs,
    plans,
    finding,
    bringUps,
  };
  const passports: Passports = {
    repository: new FoundRepository(knex),
    plans,
    rounds,
    finding,
    bringUps,
    terminals,
  };
  const handOver: HandOver = {
    ...platform,
    repository: new HandOverRepository(knex),
    plans,
    cards,
    rounds,
    finding,
    bringUps,
    exposures,
    passports,
    signals,
  };
  const field: Field = {
    ...platform,
    repository: new FieldRepository(knex),
    runs,
    plans,
    finding,
    handOver,
  };
  runs.register(
    roundRun(rounds),
    searchRun(finding),
    watchRun(finding),
    capacityRun(cards),
    imageReading(images),
    bringUpRun(bringUps),
    moveRun(moves),
    exposureRun(exposures),
    rehearsalRun(field),
  );
  return {
    platform,
    runs,
    settings,
    networks,
    air,
    boards,
    methods,
    images,
    plans,
    cards,
    rounds,
    finding,
    bringUps,
    moves,
    signals,
    terminals,
    exposures,
    passports,
    handOver,
    field,
    practice: { lab, finding },
  };
}

/** Every endpoint. */
export const allRoutes = (domains: Domains): Route[] => [
  ...healthRoutes(domains),
  ...batchRoutes(domains.plans),
  ...networkRoutes(domains.networks),
  ...airRoutes(domains.air),
  ...boardRoutes(domains.boards),
  ...methodRoutes(domains.methods),
  ...imageRoutes(domains.images),
  ...uploadRoutes(domains.images),
  ...cardRoutes(domains.cards),
  ...slotRoutes(domains.cards),
  ...checkRoutes(domains.cards),
  ...roundRoutes(domains.rounds),
  ...searchRoutes(domains.finding),
  ...watchRoutes(domains.finding),
  ...caseRoutes(domains.finding),
  ...beforeRoutes(domains.finding),
  ...bringUpRoutes(domains.bringUps),
  ...moveRoutes(domains.moves),
  ...signalRoutes(domains.signals),
  ...terminalRoutes(domains.terminals),
  ...passportRoutes(domains.passports),
  ...exposureRoutes(domains.exposures),
  ...handOverRoutes(domains.handOver),
  ...recordRoutes(domains.handOver),
  ...exportRoutes(domains.handOver),
  ...fieldRoutes(domains.field),
  ...settingRoutes(domains.settings),
  ...logRoutes(domains.platform),
  ...practiceRoutes(domains.practice),
];
