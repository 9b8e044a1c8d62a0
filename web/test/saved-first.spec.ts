import { TestBed } from '@angular/core/testing';
import { BatchActions } from '../src/app/state/batch.actions';
import { noticeFeature } from '../src/app/state/notice';
import { savedFirst } from '../src/app/state/saved-first';
import { bench, problem } from './helpers/store';
import { tankBatch } from './helpers/plan';

const batch = tankBatch(1);
const edited = { ...batch.plan, site: 'Marsh' };

/** What the guard says, as soon as it says something. */
function ask(): { answer: boolean | null } {
  const said: { answer: boolean | null } = { answer: null };
  const guard = TestBed.runInInjectionContext(savedFirst);
  guard.subscribe((answer) => (said.answer = answer));
  return said;
}

describe('before another batch is opened', () => {
  it('nothing is waited for when nothing was changed', () => {
    bench(batch);
    expect(ask().answer).toBe(true);
  });

  it('edits are saved at once, and the door opens when they are', () => {
    const { store, act } = bench(batch);
    act(BatchActions.edited({ plan: edited, field: 'site' }));
    const dispatched = jest.spyOn(store, 'dispatch');
    const said = ask();
    expect(dispatched).toHaveBeenCalledWith(BatchActions.saveDue());
    act(BatchActions.saveBegun());
    expect(said.answer).toBeNull();
    act(BatchActions.saved({ batch: { ...batch, plan: edited }, plan: edited, secrets: {} }));
    expect(said.answer).toBe(true);
  });

  it.each(['plan-changed', 'unreachable'])(
    'the plan stays open when it cannot be saved (%s), and says so',
    (code) => {
      const { store, act } = bench(batch);
      act(BatchActions.edited({ plan: edited, field: 'site' }));
      const said = ask();
      act(BatchActions.saveFailed({ problem: problem(code) }));
      expect(said.answer).toBe(false);
      expect(store.selectSignal(noticeFeature.selectNotice)()?.text).toContain('could not be saved');
    },
  );
});
