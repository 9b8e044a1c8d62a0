import { FieldPlanSchema, type FieldView } from '@nest-mark/core/api';
import { met } from '../src/app/api/api-problem';
import { standWords } from '../src/app/field/field-words';
import { FieldActions, fieldFeature, type FieldState } from '../src/app/field/field.reducer';
import { BatchActions } from '../src/app/state/batch.actions';

/** What is typed into a trip stays under the hands that type it, whatever comes meanwhile. */

const batchId = '00000000-0000-4000-8000-000000000001';
const viewOf = (version: number, change: Partial<FieldView> = {}): FieldView => ({
  batchId,
  version,
  plan: FieldPlanSchema.parse({}),
  findings: [],
  boards: [],
  cautions: [],
  standing: 'none',
  why: '',
  rehearsals: [],
  before: [],
  site: [],
  visits: [],
  bundleAt: null,
  ...change,
});
const { reducer } = fieldFeature;
const after = (...actions: Parameters<typeof reducer>[1][]): FieldState =>
  actions.reduce<FieldState>(
    (state, action) => reducer(state, action),
    reducer(undefined, { type: 'start' }),
  );
const came = (view: FieldView) => FieldActions.came({ view });
const plan = (minutes: number) => FieldPlanSchema.parse({ minutes });

describe('a trip in the store', () => {
  it('is read, edited and saved; what was typed after it was sent stays, and is still to be saved', () => {
    const sent = plan(5);
    const state = after(came(viewOf(1)), FieldActions.edited({ plan: sent }));
    expect([state.dirty, state.view?.plan.minutes, state.view?.version]).toEqual([true, 5, 1]);
    const saved = reducer(state, FieldActions.saved({ sent, view: viewOf(2, { plan: sent }) }));
    expect([saved.dirty, saved.view?.version]).toEqual([false, 2]);
    const typed = reducer(state, FieldActions.edited({ plan: plan(7) }));
    const late = reducer(typed, FieldActions.saved({ sent, view: viewOf(2, { plan: sent }) }));
    expect([late.dirty, late.view?.plan.minutes, late.view?.version]).toEqual([true, 7, 2]);
  });

  it('takes what goes on while somebody types: rehearsals, ticks and visits, not the plan nor its version', () => {
    const state = after(
      came(viewOf(1)),
      FieldActions.edited({ plan: plan(7) }),
      came(viewOf(5, { standing: 'passed', plan: plan(9) })),
    );
    expect([state.view?.plan.minutes, state.view?.version, state.view?.standing]).toEqual([7, 1, 'passed']);
    const visited = reducer(state, FieldActions.visitKept({ batchId }));
    expect([visited.kept, visited.view?.plan.minutes]).toEqual([1, 7]);
  });

  it('shows the server’s own again after a refusal, and another batch’s never', () => {
    const problem = { code: 'field-changed', detail: '' } as never;
    const refused = after(
      came(viewOf(1)),
      FieldActions.edited({ plan: plan(7) }),
      FieldActions.refused({ problem }),
      came(viewOf(2)),
    );
    expect([refused.view?.plan.minutes, refused.view?.version]).toEqual([15, 2]);
    expect(after(came(viewOf(1)), BatchActions.opened({ id: 'another' })).view).toBeNull();
    expect(after(came(viewOf(1)), BatchActions.opened({ id: batchId })).view).not.toBeNull();
    // What comes late for the batch of before is not shown, and takes nothing of what is typed.
    const opened = after(came(viewOf(1)), BatchActions.opened({ id: 'another' }));
    const theirs = viewOf(1, { batchId: 'another' });
    const typed = reducer(reducer(opened, came(theirs)), FieldActions.edited({ plan: plan(7) }));
    for (const late of [
      came(viewOf(9)),
      FieldActions.saved({ sent: plan(5), view: viewOf(9) }),
      FieldActions.visitKept({ batchId }),
    ]) {
      expect(reducer(opened, late).view).toBeNull();
      expect(reducer(typed, late)).toEqual(typed);
    }
  });

  it('keeps what is typed while the server is away', () => {
    const away = after(
      came(viewOf(1)),
      FieldActions.edited({ plan: plan(7) }),
      FieldActions.refused({ problem: met('unreachable') }),
      came(viewOf(1)),
    );
    expect([away.dirty, away.view?.plan.minutes]).toEqual([true, 7]);
  });

  it('has a word of its own for each standing of a rehearsal', () => {
    const words = Object.values(standWords).map(({ word }) => word);
    expect(new Set(words).size).toBe(words.length);
  });
});
