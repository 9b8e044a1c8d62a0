import type { Exposure, HandOverView, Problem } from '@nest-mark/core/api';
import { HandOverActions, handOverFeature, type HandOverState } from '../src/app/hand-over/hand-over.reducer';
import { BatchActions } from '../src/app/state/batch.actions';

const one = '00000000-0000-4000-8000-000000000001';
const two = '00000000-0000-4000-8000-000000000002';
const view: HandOverView = { devices: [], labelSizes: [] };
const exposure: Exposure = { running: null, message: '', devices: [], missed: [] };
const problem = { detail: 'no' } as Problem;

type Action = Parameters<typeof handOverFeature.reducer>[1];
const after = (...actions: Action[]): HandOverState =>
  actions.reduce<HandOverState>(
    handOverFeature.reducer,
    handOverFeature.reducer(undefined, { type: 'begin' }),
  );

describe('what the page of handing over knows', () => {
  it('is of one batch only: an answer about another one takes away what was known of the first', () => {
    const known = [
      HandOverActions.came({ batchId: one, view }),
      HandOverActions.exposureCame({ batchId: one, exposure }),
    ];
    expect(after(...known)).toMatchObject({ batchId: one, view, exposure });
    expect(after(...known, HandOverActions.came({ batchId: two, view }))).toMatchObject({
      batchId: two,
      exposure: null,
    });
    expect(after(...known, HandOverActions.exposureCame({ batchId: two, exposure }))).toMatchObject({
      batchId: two,
      view: null,
    });
  });

  it('is forgotten when another batch is opened, and kept when the same one is opened again', () => {
    const known = [HandOverActions.lookedAt(), HandOverActions.came({ batchId: one, view })];
    const opened = (id: string): Action => BatchActions.opened({ id });
    expect(after(...known, opened(two))).toMatchObject({ batchId: null, view: null, looking: true });
    expect(after(...known, opened(one))).toMatchObject({ batchId: one, view });
  });

  it('tells a refusal until the next try', () => {
    const refused = HandOverActions.refused({ problem });
    expect(after(refused).problem).toBe(problem);
    const order = { deviceIds: [], by: 'Mara', forget: false };
    expect(after(refused, HandOverActions.takenOver({ order })).problem).toBeNull();
    expect(after(refused, HandOverActions.lookedAway()).problem).toBeNull();
  });
});
