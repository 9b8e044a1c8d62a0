import type { BoardBringUp, BoardStep, StepState } from '@nest-mark/core/api';

/** How a cell looks: as the ring's arcs do. */
export type CellMode = 'open' | 'hatched' | 'solid' | 'notched';

const modes: Record<StepState, CellMode> = {
  queued: 'open',
  asking: 'hatched',
  waiting: 'hatched',
  doing: 'hatched',
  well: 'solid',
  done: 'solid',
  skipped: 'open',
  differs: 'notched',
  failed: 'notched',
  unknown: 'notched',
  held: 'open',
};

const words: Record<StepState, string> = {
  queued: '',
  asking: 'asks',
  waiting: 'waits',
  doing: 'at it',
  well: 'well',
  done: 'done',
  skipped: 'left out',
  differs: 'differs',
  failed: 'failed',
  unknown: 'not told',
  held: 'held',
};

export interface Cell {
  stepId: string;
  mode: CellMode;
  word: string;
  /** The same, short enough for a table. */
  short: string;
  /** 0 to 1, while it is at it and that is known. */
  share: number;
  step: BoardStep | null;
}

const phases = { begin: 'begins', lists: 'lists', download: 'fetches', install: 'installs', clean: 'cleans' };

/**
 * The cells of one board, a step each.
 * @param own ids of the steps that are for a device of its role
 */
export function cellsOf(
  board: BoardBringUp | undefined,
  stepIds: readonly string[],
  own?: ReadonlySet<string>,
): Cell[] {
  return stepIds.map((stepId): Cell => {
    const step = board?.steps.find((one) => one.stepId === stepId) ?? null;
    const state = step?.state ?? 'queued';
    const job = state === 'doing' ? (board?.job ?? null) : null;
    const percent = `${String(Math.floor((job?.share ?? 0) * 100))} %`;
    const still = step === null && own?.has(stepId) === false ? 'not for it' : words[state];
    return {
      stepId,
      mode: modes[state],
      word: job ? `${phases[job.phase]} ${percent}` : still,
      short: job ? percent : still,
      share: job?.share ?? 0.5,
      step,
    };
  });
}

/** How a state is shown. */
export const stateWords = (state: StepState): { mode: CellMode; word: string } => ({
  mode: modes[state],
  word: words[state],
});

const boardWords: Record<BoardBringUp['state'], string> = {
  queued: 'waits its turn',
  running: 'at it',
  ready: 'ready',
  hand: 'needs a look',
  stopped: 'stopped',
  interrupted: 'broken off',
};

export const boardWord = (board: Pick<BoardBringUp, 'state'> | undefined): string =>
  board ? boardWords[board.state] : 'not begun';
