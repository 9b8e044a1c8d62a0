import { DrillCauseSchema, type CauseId, type CheckId, type DrillCause } from '@nest-mark/core/api';
import { PracticeError } from '../practice-error';
import type { StandInReader } from '../reader/reader';
import type { LabState, StandInBoard } from '../state';
import { faultyAir } from './air-faults';
import { lookAt } from './looks';
import { renamed } from './rename';
import { isBoardFault, type DrillState } from './state';

/** What a drill needs of the practice bench. */
export interface DrillBench {
  readonly state: LabState;
  readonly reader: StandInReader;
  /** Host names of the boards that the router gave an address. */
  leased(): string[];
  /** Forgets which addresses were given out. */
  forgetLeases(): void;
  power(board: StandInBoard, on: boolean): Promise<void>;
  /** Lets the access point be where the air says. */
  settleAir(): Promise<void>;
  /** Keeps the state, so that a kill from here on finds it. */
  save(): void;
  /** A number from 0 up to, and not including, `below`. */
  random(below: number): number;
}

/** Minutes of the story after which a person begins to ask why a board is not there. */
const BEGINS_AT = 6;
/** Minutes that mending takes, right or wrong. */
const MENDING = 3;

/** A board with its card's label. */
interface Labelled {
  board: StandInBoard;
  deviceId: string;
  mark: string;
  hostName: string;
}

async function labelled({ state, reader }: DrillBench, batchId: string): Promise<Labelled[]> {
  const found = await Promise.all(
    state.boards.map(async (board) => {
      const label = board.cardId === null ? null : await reader.labelOf(board.cardId);
      return label?.batchId === batchId
        ? [{ board, deviceId: label.deviceId, mark: label.mark, hostName: label.hostName }]
        : [];
    }),
  );
  return found.flat();
}

const running = ({ state }: DrillBench): DrillState => {
  if (state.drill?.outcome !== 'open') throw new PracticeError('No drill is under way. Begin one.');
  return state.drill;
};

/** Puts everything back that a drill changed, and leaves the power as it is. */
async function undo(bench: DrillBench, drill: DrillState): Promise<void> {
  const { state, reader } = bench;
  Object.assign(state.air, drill.air, { network: state.air.network, port: state.air.port });
  for (const board of state.boards) {
    board.fault = null;
    board.copyOf = null;
  }
  if (drill.card)
    await reader.change(
      drill.card.id,
      drill.card.was.map(({ offset, bytes }) => ({ offset, bytes: Buffer.from(bytes, 'base64') })),
    );
  await bench.settleAir();
}

async function restart(bench: DrillBench, boards: readonly Labelled[]): Promise<void> {
  for (const { board } of boards) await bench.power(board, false);
  for (const { board } of boards) await bench.power(board, true);
}

/**
 * Hides a fault among the boards of a batch and powers them all.
 * @param cause which; null for any of them
 * @param beforePower done when everything is ready, before the first board gets its power; with whose boards they are
 * @throws PracticeError when the batch has no boards to do it with
 */
export async function beginDrill(
  bench: DrillBench,
  batchId: string,
  cause: DrillCause | null,
  beforePower: (deviceIds: string[]) => Promise<void>,
): Promise<void> {
  const { state } = bench;
  if (state.drill?.outcome === 'open')
    throw new PracticeError('A drill is under way. Find its fault, or end it.');
  const boards = await labelled(bench, batchId);
  if (boards.length < 2)
    throw new PracticeError(
      'A drill needs at least two boards with written cards of this batch. Write a round, and seat the cards.',
    );
  const all = DrillCauseSchema.options;
  const chosen = cause ?? all[bench.random(all.length)] ?? 'not-powered';
  const at = bench.random(boards.length);
  const victim = boards[at];
  const other = boards[(at + 1) % boards.length];
  if (!victim || !other) return;
  for (const { board } of boards) await bench.power(board, false);
  const drill: DrillState = {
    batchId,
    minutes: BEGINS_AT,
    looks: [],
    inVain: [],
    outcome: 'open',
    hidden: { cause: chosen, nest: victim.board.nest },
    air: { ...state.air },
    card: null,
    way: null,
  };
  await hide(bench, drill, victim, other, boards.length);
  await beforePower(boards.map(({ deviceId }) => deviceId));
  await restart(bench, boards);
}

async function hide(
  bench: DrillBench,
  drill: DrillState,
  victim: Labelled,
  other: Labelled,
  boards: number,
): Promise<void> {
  const { state } = bench;
  const { cause } = drill.hidden;
  if (cause === 'card-spoilt') {
    await rename(bench, drill, victim.board.cardId);
    return;
  }
  state.drill = drill;
  const air = faultyAir(state.air, cause, boards);
  if (air) {
    Object.assign(state.air, air);
    bench.forgetLeases();
    await bench.settleAir();
  } else if (isBoardFault(cause)) {
    victim.board.fault = cause;
    if (cause === 'copied-card') victim.board.copyOf = other.board.nest;
  }
}

/** Renames a file on a card. What was there is kept before it is changed, so that a kill in between can be undone. */
async function rename(bench: DrillBench, drill: DrillState, cardId: string | null): Promise<void> {
  const { state, reader } = bench;
  const card = state.cards.find(({ id }) => id === cardId);
  const change = card && (await reader.withSource(card, renamed));
  if (!card || !change)
    throw new PracticeError(
      'The cards of this batch have no file that this drill could rename. Choose another fault.',
    );
  const was = await reader.read(card.id, change.patches);
  state.drill = {
    ...drill,
    card: {
      id: card.id,
      was: was.map(({ offset, bytes }) => ({ offset, bytes: Buffer.from(bytes).toString('base64') })),
      renamed: change.names,
    },
  };
  bench.save();
  await reader.change(card.id, change.patches);
}

/** Looks at something; it is noted, with its minutes. @throws PracticeError when there is nothing to look at */
export async function lookInDrill(
  bench: DrillBench,
  check: CheckId,
  nest: string,
  minutes: number,
): Promise<void> {
  const drill = running(bench);
  const boards = await labelled(bench, drill.batchId);
  const there = boards.find(({ board }) => board.nest === nest);
  if (!there) throw new PracticeError(`There is no board of this batch in nest ${nest}.`);
  const copied = boards.find(({ board }) => board.nest === there.board.copyOf);
  const saw = lookAt(check, {
    drill,
    air: bench.state.air,
    leased: bench.leased(),
    board: { nest, powered: there.board.powered, hostName: there.hostName, mark: there.mark },
    copyOf: copied?.hostName ?? '',
  });
  if (!drill.looks.some((look) => look.check === check && look.nest === nest)) {
    drill.looks.push({ check, nest, saw, minutes });
    drill.minutes += minutes;
  }
}

/** Mends what is taken for the cause: if it is the one, the boards come up. @throws PracticeError without a drill */
export async function mendInDrill(bench: DrillBench, cause: CauseId, way: CheckId[] | null): Promise<void> {
  const drill = running(bench);
  drill.minutes += MENDING;
  if (cause !== drill.hidden.cause) {
    if (!drill.inVain.includes(cause)) drill.inVain.push(cause);
    return;
  }
  drill.outcome = 'found';
  drill.way = way;
  await undo(bench, drill);
  await restart(bench, await labelled(bench, drill.batchId));
}

/** Gives a drill up, or clears one away that is over. */
export async function endDrill(bench: DrillBench, way: CheckId[] | null): Promise<void> {
  const { state } = bench;
  const { drill } = state;
  if (!drill) return;
  if (drill.outcome !== 'open') {
    state.drill = null;
    return;
  }
  drill.outcome = 'given up';
  drill.way = way;
  await undo(bench, drill);
  await restart(bench, await labelled(bench, drill.batchId));
}
