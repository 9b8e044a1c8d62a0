import type { Problem } from '@nest-mark/core';
import { BatchActions } from '../src/app/state/batch.actions';
import { batchFeature, type BatchState } from '../src/app/state/batch.reducer';
import { batchId, tankBatch } from './helpers/plan';

const { reducer } = batchFeature;
type Action = Parameters<typeof reducer>[1];
const after = (...actions: Action[]): BatchState =>
  actions.reduce<BatchState | undefined>((state, action) => reducer(state, action), undefined)!;

const batch = tankBatch(3);
const opened = [BatchActions.opened({ id: batchId }), BatchActions.came({ batch })];
const typed = (site: string): Action => BatchActions.edited({ plan: { ...batch.plan, site }, field: 'site' });
const problem = (code: string): Problem => ({ type: '', title: '', status: 0, code, detail: 'Something.' });

describe('editing a plan', () => {
  it('joins keystrokes of one field into one step of undo, and redoes it', () => {
    const written = after(...opened, typed('M'), typed('Ma'), typed('Mar'));
    expect(written.past).toHaveLength(1);
    const undone = reducer(written, BatchActions.undone());
    expect([undone.plan?.site, undone.save]).toEqual(['', 'changed']);
    expect(reducer(undone, BatchActions.redone()).plan?.site).toBe('Mar');
  });

  it('begins a new step in another field, and forgets what could be redone', () => {
    const written = after(
      ...opened,
      typed('M'),
      BatchActions.edited({ plan: { ...batch.plan, name: 'N' }, field: 'name' }),
    );
    expect(written.past).toHaveLength(2);
    const undone = reducer(written, BatchActions.undone());
    expect(reducer(undone, typed('X')).future).toEqual([]);
  });

  it('keeps what was typed while a save was under way', () => {
    const written = after(...opened, typed('M'), BatchActions.saveBegun(), typed('Ma'));
    const sent = after(...opened, typed('M')).plan!;
    const saved = reducer(
      written,
      BatchActions.saved({ batch: { ...batch, version: 2, plan: sent }, plan: sent, secrets: {} }),
    );
    expect([saved.plan?.site, saved.save, saved.stored?.version]).toEqual(['Ma', 'changed', 2]);
  });

  it('forgets a typed secret once it was sent, unless it was typed anew', () => {
    const secret = (value: string): Action => BatchActions.secretTyped({ kind: 'userPassword', value });
    const state = after(...opened, secret('low tide at seven'));
    const answer = (sent: string): Action =>
      BatchActions.saved({ batch, plan: state.plan!, secrets: { userPassword: sent } });
    expect(reducer(state, answer('low tide at seven'))).toMatchObject({ typed: {}, save: 'saved' });
    expect(reducer(reducer(state, secret('high tide')), answer('low tide at seven'))).toMatchObject({
      typed: { userPassword: 'high tide' },
      save: 'changed',
    });
  });

  it('does not let a late answer throw unsaved work away, but lets a person do so', () => {
    const newer = { ...batch, version: 5, plan: { ...batch.plan, site: 'Theirs' } };
    const mine = after(
      ...opened,
      typed('Mine'),
      BatchActions.saveFailed({ problem: problem('plan-changed') }),
    );
    expect(mine.save).toBe('conflict');
    expect(reducer(mine, typed('Mine too')).save).toBe('conflict');
    expect(reducer(mine, BatchActions.came({ batch: newer })).plan?.site).toBe('Mine');
    const theirs = reducer(reducer(mine, BatchActions.theirsTaken()), BatchActions.came({ batch: newer }));
    expect([theirs.plan?.site, theirs.save]).toEqual(['Theirs', 'saved']);
    const kept = reducer(mine, BatchActions.rebased({ batch: newer }));
    expect([kept.plan?.site, kept.stored?.version, kept.save]).toEqual(['Mine', 5, 'changed']);
  });

  it('ignores the answer for a batch that was left', () => {
    const left = after(...opened, BatchActions.opened({ id: '22222222-2222-4222-8222-222222222222' }));
    expect(reducer(left, BatchActions.came({ batch })).plan).toBeNull();
  });
});
