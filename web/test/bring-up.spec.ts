import type { BoardBringUp, BringUp } from '@nest-mark/core/api';
import { BringUpActions, bringUpFeature, type BringUpState } from '../src/app/bring-up/bring-up.reducer';
import { boardWord, cellsOf } from '../src/app/bring-up/step-words';
import { BatchActions } from '../src/app/state/batch.actions';
import { batchId, tankBatch } from './helpers/plan';

const board = (change: Partial<BoardBringUp> = {}): BoardBringUp => ({
  deviceId: tankBatch(1).plan.devices[0]!.id,
  state: 'running',
  message: '',
  steps: [
    { stepId: 'health', state: 'well', text: 'Well.', findings: [], at: 1 },
    { stepId: 'updates', state: 'doing', text: 'To do.', findings: [], at: 2 },
  ],
  job: { phase: 'download', share: 0.627, text: 'Retrieving file 2 of 3' },
  keyOff: false,
  offAt: null,
  at: 3,
  ...change,
});

describe('the cells of a board', () => {
  it('tell each step by shape and word, and how far a job is', () => {
    expect(cellsOf(board(), ['health', 'updates', 'reboot'])).toMatchObject([
      { mode: 'solid', word: 'well' },
      { mode: 'hatched', word: 'fetches 62 %', share: 0.627 },
      { mode: 'open', word: '' },
    ]);
    expect(cellsOf(undefined, ['health'])).toMatchObject([{ mode: 'open', word: '', step: null }]);
  });

  it('break the ring wherever a hand is needed, and nowhere else', () => {
    const modes = (state: BoardBringUp['steps'][number]['state']): string =>
      cellsOf(board({ steps: [{ stepId: 'a', state, text: '', findings: [], at: 0 }] }), ['a'])[0]!.mode;
    expect((['differs', 'failed', 'unknown'] as const).map(modes)).toEqual(['notched', 'notched', 'notched']);
    expect((['held', 'skipped', 'queued'] as const).map(modes)).toEqual(['open', 'open', 'open']);
    expect(boardWord(undefined)).toBe('not begun');
    expect(boardWord(board({ state: 'hand' }))).toBe('needs a look');
  });
});

describe('bringing up in the store', () => {
  const view: BringUp = {
    batchId,
    steps: [],
    boards: [],
    skips: [],
    running: [],
    secondsLeft: null,
    terminals: false,
    ways: [
      { way: 'bench-key', lacks: 'none on the cards' },
      { way: 'agent', lacks: '' },
    ],
  };
  const start = bringUpFeature.reducer(undefined, { type: 'init' });
  const came = bringUpFeature.reducer(start, BringUpActions.came({ bringUp: view }));
  const way = (state: BringUpState): string => bringUpFeature.selectUsedWay({ bringUp: state });

  it('the first way that there is is taken, until a person chooses one', () => {
    expect(way(start)).toBe('bench-key');
    expect(way(came)).toBe('agent');
    expect(way(bringUpFeature.reducer(came, BringUpActions.wayChosen({ way: 'password' })))).toBe('password');
  });

  it('another batch begins with nothing of this one; a problem lasts until something is asked again', () => {
    const problem = {
      type: 'about:blank',
      title: 'x',
      status: 409,
      code: 'not-proved',
      detail: 'y',
    } as never;
    const refused = bringUpFeature.reducer(came, BringUpActions.refused({ problem }));
    expect(refused.problem).toBe(problem);
    expect(bringUpFeature.reducer(refused, BringUpActions.startWanted({ deviceIds: [] })).problem).toBeNull();
    const other = '22222222-2222-4222-8222-222222222222';
    expect(bringUpFeature.reducer(refused, BatchActions.opened({ id: other })).bringUp).toBeNull();
    expect(bringUpFeature.reducer(refused, BatchActions.opened({ id: batchId })).bringUp).toBe(view);
  });
});
