import { MovePlanSchema, type Move } from '@nest-mark/core/api';
import { moveWords } from '../src/app/move/move-words';
import { MoveActions, moveFeature, type MoveState } from '../src/app/move/move.reducer';
import { BatchActions } from '../src/app/state/batch.actions';

/** What is typed into a move stays under the hands that type it, whatever comes meanwhile. */

const batchId = '00000000-0000-4000-8000-000000000001';
const moveOf = (version: number, change: Partial<Move> = {}): Move => ({
  id: '00000000-0000-4000-8000-000000000002',
  batchId,
  version,
  plan: MovePlanSchema.parse({}),
  createdAt: 1,
  devices: [],
  days: [],
  lost: '',
  findings: [],
  boards: [],
  running: null,
  ended: '',
  logins: [],
  ...change,
});
const { reducer } = moveFeature;
const after = (...actions: Parameters<typeof reducer>[1][]): MoveState =>
  actions.reduce<MoveState>((state, action) => reducer(state, action), reducer(undefined, { type: 'start' }));
const came = (move: Move | null) => MoveActions.came({ batchId, move });
const edited = (groupSize: number) => MoveActions.edited({ plan: MovePlanSchema.parse({ groupSize }) });

describe('a move in the store', () => {
  it('is read, edited and saved; what was typed after it was sent stays, and is still to be saved', () => {
    const sent = MovePlanSchema.parse({ groupSize: 2 });
    const state = after(came(moveOf(1)), MoveActions.edited({ plan: sent }));
    expect([state.dirty, state.move?.plan.groupSize, state.move?.version]).toEqual([true, 2, 1]);
    const saved = reducer(state, MoveActions.saved({ batchId, sent, move: moveOf(2, { plan: sent }) }));
    expect([saved.dirty, saved.move?.version]).toEqual([false, 2]);
    const typed = reducer(state, edited(3));
    const late = reducer(typed, MoveActions.saved({ batchId, sent, move: moveOf(2, { plan: sent }) }));
    expect([late.dirty, late.move?.plan.groupSize, late.move?.version]).toEqual([true, 3, 2]);
  });

  it('takes how far the boards are while somebody types, and nothing else', () => {
    const running = { done: 1, of: 4, begunBy: 'Mara' };
    const state = after(came(moveOf(1)), edited(3), came(moveOf(5, { running })));
    expect([state.move?.plan.groupSize, state.move?.version, state.move?.running]).toEqual([3, 1, running]);
  });

  it('shows the server’s own again after a refusal, and another batch’s never', () => {
    const problem = { code: 'move-changed', detail: '' } as never;
    const refused = after(came(moveOf(1)), edited(3), MoveActions.refused({ problem }), came(moveOf(2)));
    expect([refused.move?.plan.groupSize, refused.move?.version]).toEqual([4, 2]);
    expect(after(came(moveOf(1)), came(null)).move).toBeNull();
    const other = after(came(moveOf(1)), BatchActions.opened({ id: 'another' }));
    expect([other.move, other.read]).toEqual([null, false]);
    // Nor what comes late for the batch of before.
    const sent = MovePlanSchema.parse({});
    expect(reducer(other, came(moveOf(9)))).toEqual(other);
    expect(reducer(other, MoveActions.saved({ batchId, sent, move: moveOf(9) }))).toEqual(other);
  });

  it('has a word of its own for each state of a board', () => {
    const words = Object.values(moveWords).map(({ word }) => word);
    expect(new Set(words).size).toBe(words.length);
  });
});
