import { randomInt } from 'node:crypto';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import {
  noCardFaults,
  type CheckId,
  type DrillCause,
  type DrillView,
  type PracticeAction,
  type PracticeView,
} from '@nest-mark/core/api';
import type { ListenPlace, NeighbourTable } from '@nest-mark/station/ports';
import { BenchAir } from './air/bench-air';
import { StandInRadio } from './air/radio';
import { savedOnPractice } from './air/saved';
import { otherNetwork, placeOn } from './air/place';
import { hardwareAddressOf } from './board/hardware-address';
import { RunningBoard, type BoardView } from './board/board';
import { InsertedCard } from './board/inserted-card';
import { noSandbox } from './board/sandbox';
import { BootFailure } from './board/settings';
import { beginDrill, endDrill, lookInDrill, mendInDrill, type DrillBench } from './drill/drill';
import { viewOf } from './drill/state';
import { PracticeError } from './practice-error';
import { practiceView } from './practice-view';
import { BACKUP_DISK, fillBackupDisk } from './reader/backup-disk';
import { BEING_WRITTEN, StandInReader } from './reader/reader';
import { openRoots } from './system/roots';
import { freshLab, loadState, saveState, type LabState, freshBoard, type StandInBoard } from './state';

/** What an action means to a drill. */
export interface Story {
  /** Minutes of the story that it takes. */
  minutes: number;
  /** Done before a drill gives its boards power. */
  beforePower: (deviceIds: string[]) => Promise<void>;
  /** The looks by which the advice finds what is hidden; null where that is not known. */
  way: CheckId[] | null;
}

const noStory: Story = { minutes: 0, beforePower: () => Promise.resolve(), way: null };

/** The practice bench: a reader, a drawer of cards, boards, and an access point, all on this machine's loopback. */
export class Lab {
  readonly reader: StandInReader;
  private readonly running = new Map<string, RunningBoard>();
  private readonly air: BenchAir;
  private readonly listeners = new Set<() => void>();
  private doing: Promise<void> = Promise.resolve();
  /** What the bench's computer has saved for itself. */
  readonly saved = savedOnPractice(() => this.state.air);
  /** What a radio at the bench hears. */
  readonly radio = new StandInRadio(() => this.air.networks);

  private constructor(
    private readonly file: string,
    private readonly state: LabState,
    cardFolder: string,
  ) {
    this.reader = new StandInReader(cardFolder, () => this.state);
    this.air = new BenchAir(state, {
      remembers: () => this.save(),
      changed: () => {
        for (const board of this.running.values()) board.airChanged();
      },
      fallsAsleep: () => this.fallAsleep(),
    });
  }

  /**
   * Opens the lab of a folder, or makes a new one; boards that were powered start again.
   * @param network first three parts of the loopback subnet on which boards appear
   */
  static async open(folder: string, network: string): Promise<Lab> {
    mkdirSync(folder, { recursive: true, mode: 0o700 });
    const file = join(folder, 'lab.json');
    const state = loadState(file) ?? freshLab(network);
    state.air.network = network;
    if (state.other) state.other.network = otherNetwork(network);
    const lab = new Lab(file, state, join(folder, 'cards'));
    if (noSandbox() === null) state.roots = await openRoots(file, state.roots);
    saveState(file, state);
    await lab.reader.fill(BACKUP_DISK, fillBackupDisk);
    await lab.air.settle();
    for (const board of state.boards) if (board.powered) lab.start(board);
    return lab;
  }

  /** The practice network, as somebody listens there: one address in place of the groups of a real one. */
  get place(): ListenPlace {
    return placeOn(this.state.air);
  }

  /** Hardware addresses of the boards that have an address. */
  readonly neighbours: NeighbourTable = {
    read: () =>
      Promise.resolve(
        new Map(
          this.state.boards.flatMap(({ nest, hardwareAddress }) => {
            const address = this.running.get(nest)?.joined ?? null;
            return address === null ? [] : [[address, hardwareAddress] as const];
          }),
        ),
      ),
  };

  /** The drill of a batch, under way or over, until it is put away. */
  drillOf(batchId: string): DrillView | null {
    const { drill } = this.state;
    return drill?.batchId === batchId ? viewOf(drill) : null;
  }

  /** What is hidden, for those who reckon how it could be found; never for the one who does the drill. */
  get hidden(): { batchId: string; cause: DrillCause } | null {
    const { drill } = this.state;
    return drill?.outcome === 'open' ? { batchId: drill.batchId, cause: drill.hidden.cause } : null;
  }

  /** Calls back after something changed on the bench. @returns how to stop */
  watch(listener: () => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  async close(): Promise<void> {
    this.air.stay();
    await Promise.all([...this.running.values()].map((board) => board.powerOff()));
    await this.air.close();
  }

  view(): Promise<PracticeView> {
    return practiceView(this.state, this.reader, {
      placeOf: (cardId) => this.placeOf(cardId),
      shown: (nest, powered) => this.shown(nest, powered),
    });
  }

  /**
   * Does what hands would do.
   * @param story what it means to a drill
   * @throws PracticeError when it cannot be done
   */
  act(action: PracticeAction, story: Partial<Story> = {}): Promise<void> {
    // One after the other, as one pair of hands: two drills that begin at once would hide two faults.
    const done = this.doing.then(() => this.actAlone(action, { ...noStory, ...story }));
    this.doing = done.catch(() => undefined);
    return done;
  }

  private async actAlone(action: PracticeAction, { minutes, beforePower, way }: Story): Promise<void> {
    const { state } = this;
    switch (action.do) {
      case 'insert':
        this.insert(action.cardId, action.slotId);
        break;
      case 'pull':
        this.pull(action.slotId);
        break;
      case 'insertFresh':
        await this.insertFresh();
        break;
      case 'pullIdle':
        for (const slot of await this.reader.list())
          if (slot.medium && slot.medium.holds !== BEING_WRITTEN) this.pull(slot.id);
        break;
      case 'seat':
        await this.seatAll(action.batchId);
        break;
      case 'seatCard':
        await this.seat(action.cardId, action.nest);
        break;
      case 'takeCard': {
        const board = this.board(action.nest);
        await this.power(board, false);
        board.cardId = null;
        break;
      }
      case 'power':
        await this.power(this.board(action.nest), action.on);
        break;
      case 'powerAll':
        for (const board of state.boards) if (board.cardId !== null) await this.power(board, action.on);
        break;
      case 'cardFaults':
        this.card(action.cardId).faults = action.faults;
        break;
      case 'air':
        Object.assign(state.air, action.air);
        await this.air.settle();
        break;
      case 'other-air':
        state.other = action.air && {
          ...state.air,
          ...action.air,
          network: otherNetwork(state.air.network),
          elsewhere: false,
        };
        await this.air.settle();
        break;
      case 'drill':
        await this.seatAll(action.batchId);
        await beginDrill(this.drillBench, action.batchId, action.cause, beforePower);
        break;
      case 'look':
        await lookInDrill(this.drillBench, action.check, action.nest, minutes);
        break;
      case 'mend':
        await mendInDrill(this.drillBench, action.cause, way);
        break;
      case 'endDrill':
        await endDrill(this.drillBench, way);
        break;
      case 'spoil': {
        const board = this.board(action.nest);
        board.spoilt = action.fault;
        await this.running.get(board.nest)?.spoil(action.fault);
        break;
      }
      case 'serials':
        state.serials = action.told;
        break;
      case 'pace':
        state.bootSeconds = action.bootSeconds;
        state.slotRate = action.slotRate;
        break;
    }
    this.save();
    this.reader.changed();
    this.changed();
  }

  private save(): void {
    saveState(this.file, this.state);
  }

  /** What drills are given of the bench. */
  private get drillBench(): DrillBench {
    return {
      state: this.state,
      reader: this.reader,
      leased: () => {
        const leases = this.air.first.pool.table();
        const boards = this.state.boards.filter(({ hardwareAddress }) =>
          [...leases.values()].includes(hardwareAddress),
        );
        return boards.flatMap(({ nest }) => this.running.get(nest)?.view.hostName ?? []);
      },
      forgetLeases: () => this.air.first.pool.clear(),
      power: (board, on) => this.power(board, on),
      settleAir: () => this.air.settle(),
      save: () => this.save(),
      random: (below) => randomInt(below),
    };
  }

  /** Puts the second network off; one after the other with what hands do. */
  private fallAsleep(): void {
    this.doing = this.doing.then(async () => {
      if (!(await this.air.goOff())) return;
      this.save();
      this.changed();
    });
  }

  /** What of a board is shown; in a drill no more than whether its switch is on. */
  private shown(nest: string, powered: boolean): BoardView {
    const off: BoardView = { phase: 'off', reason: '', address: null, hostName: null };
    if (this.state.drill?.outcome === 'open') return powered ? { ...off, phase: 'starting' } : off;
    return this.running.get(nest)?.view ?? off;
  }

  private changed(): void {
    for (const listener of this.listeners) listener();
  }

  private card(id: string): LabState['cards'][number] {
    const card = this.state.cards.find((candidate) => candidate.id === id);
    if (!card) throw new PracticeError('There is no such card in the drawer.');
    return card;
  }

  private board(nest: string): StandInBoard {
    const board = this.state.boards.find((candidate) => candidate.nest === nest);
    if (!board) throw new PracticeError(`There is no board in nest ${nest}.`);
    return board;
  }

  private placeOf(cardId: string): string | null {
    const slot = Object.entries(this.state.slots).find(([, id]) => id === cardId)?.[0];
    return slot ?? this.state.boards.find((board) => board.cardId === cardId)?.nest ?? null;
  }

  private insert(cardId: string, slotId: string): void {
    const { id } = this.card(cardId);
    if (!(slotId in this.state.slots)) throw new PracticeError('The reader has no such slot.');
    if (this.state.slots[slotId]) throw new PracticeError('There is a card in that slot already.');
    const place = this.placeOf(id);
    if (place) throw new PracticeError(`That card is in ${place}. Take it out first.`);
    this.state.slots[slotId] = id;
  }

  private pull(slotId: string): void {
    const cardId = this.state.slots[slotId];
    if (cardId === undefined) throw new PracticeError('The reader has no such slot.');
    if (cardId) this.reader.pulled(cardId);
    this.state.slots[slotId] = null;
  }

  private async insertFresh(): Promise<void> {
    const sound = JSON.stringify(noCardFaults);
    const ordinary = this.state.cards.filter(
      (card) =>
        /^card-\d+$/.test(card.id) && this.placeOf(card.id) === null && JSON.stringify(card.faults) === sound,
    );
    for (const slotId of Object.keys(this.state.slots)) {
      while (!this.state.slots[slotId]) {
        const card = ordinary.shift();
        if (!card) return;
        if (!(await this.reader.labelOf(card.id))) this.state.slots[slotId] = card.id;
      }
    }
  }

  private async seatAll(batchId: string): Promise<void> {
    for (const card of this.state.cards) {
      const label = await this.reader.labelOf(card.id);
      const place = this.placeOf(card.id);
      if (label?.batchId === batchId && (place === null || place.startsWith('slot-')))
        await this.seat(card.id, label.nest);
    }
  }

  /** Puts a card into a board; the one that was there goes back to the drawer. */
  private async seat(cardId: string, nest: string): Promise<void> {
    const { id } = this.card(cardId);
    for (const [slotId, inSlot] of Object.entries(this.state.slots)) if (inSlot === id) this.pull(slotId);
    for (const other of this.state.boards)
      if (other.cardId === id) {
        await this.power(other, false);
        other.cardId = null;
      }
    let board = this.state.boards.find((candidate) => candidate.nest === nest);
    if (!board) {
      board = freshBoard(nest, hardwareAddressOf(nest));
      this.state.boards.push(board);
      this.state.boards.sort((a, b) => a.nest.localeCompare(b.nest, 'en', { numeric: true }));
    }
    await this.power(board, false);
    board.cardId = id;
  }

  private async power(board: StandInBoard, on: boolean): Promise<void> {
    board.powered = on;
    const now = this.running.get(board.nest);
    if (on && !now) this.start(board);
    if (!on && now) {
      this.running.delete(board.nest);
      await now.powerOff();
    }
  }

  private start(board: StandInBoard): void {
    if (board.fault === 'not-powered') return;
    const cardOf = (): LabState['cards'][number] => {
      const copied = this.state.boards.find(({ nest }) => nest === board.copyOf)?.cardId;
      const cardId = copied ?? board.cardId;
      const card = this.state.cards.find((candidate) => candidate.id === cardId);
      if (!card) throw new BootFailure('there is no card in the board');
      return card;
    };
    const card = new InsertedCard(this.reader, board.nest, cardOf, this.state.roots);
    const { bootSeconds } = this.state;
    this.running.set(
      board.nest,
      new RunningBoard(
        board.hardwareAddress,
        () => card.read(),
        () => this.air.networks,
        bootSeconds,
        () => this.changed(),
        board.fault,
        (settings, ordered) => card.system(settings, ordered),
        board.spoilt,
      ),
    );
  }
}
