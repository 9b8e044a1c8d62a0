import { createFeature, createReducer, on } from '@ngrx/store';
import type { Batch, BatchSummary, Plan, Problem, SecretKind } from '@nest-mark/core';
import { handlingOf } from '../api/api-problem';
import { BatchActions } from './batch.actions';

const undoSteps = 100;

export type SaveState = 'saved' | 'changed' | 'saving' | 'conflict' | 'failed';

export interface BatchState {
  list: BatchSummary[] | null;
  id: string | null;
  /** As the server has it. */
  stored: Batch | null;
  /** As the person has it. */
  plan: Plan | null;
  /** Secrets typed since the last save. */
  typed: Partial<Record<SecretKind, string>>;
  past: Plan[];
  future: Plan[];
  lastField: string;
  save: SaveState;
  problem: Problem | null;
}

const initial: BatchState = {
  list: null,
  id: null,
  stored: null,
  plan: null,
  typed: {},
  past: [],
  future: [],
  lastField: '',
  save: 'saved',
  problem: null,
};

const shown = (state: BatchState, batch: Batch): BatchState => ({
  ...initial,
  list: state.list,
  id: batch.id,
  stored: batch,
  plan: batch.plan,
});

/** Secrets that were typed after the save began stay typed. */
const unsent = (typed: BatchState['typed'], sent: BatchState['typed']): BatchState['typed'] =>
  Object.fromEntries(Object.entries(typed).filter(([kind, value]) => sent[kind as SecretKind] !== value));

export const batchFeature = createFeature({
  name: 'batch',
  reducer: createReducer(
    initial,
    on(BatchActions.listCame, (state, { list }): BatchState => ({ ...state, list })),
    on(BatchActions.opened, (state, { id }): BatchState =>
      state.id === id ? state : { ...initial, list: state.list, id },
    ),
    on(BatchActions.came, (state, { batch }): BatchState => {
      if (batch.id !== state.id) return state;
      // Somebody's unsaved work is never thrown away by an answer that comes late.
      return state.plan && state.save !== 'saved' ? state : shown(state, batch);
    }),
    on(BatchActions.notOpened, (state, { problem }): BatchState => ({ ...state, problem })),
    on(BatchActions.edited, (state, { plan, field }): BatchState => {
      if (!state.plan) return state;
      const joined = field !== '' && field === state.lastField;
      const past = joined ? state.past : [...state.past, state.plan].slice(-undoSteps);
      return { ...state, plan, past, future: [], lastField: field, save: unlessConflict(state) };
    }),
    on(BatchActions.secretTyped, (state, { kind, value }): BatchState => ({
      ...state,
      typed: { ...state.typed, [kind]: value },
      save: unlessConflict(state),
    })),
    on(BatchActions.undone, (state): BatchState => {
      const plan = state.past.at(-1);
      if (!plan || !state.plan) return state;
      const future = [state.plan, ...state.future];
      return {
        ...state,
        plan,
        past: state.past.slice(0, -1),
        future,
        lastField: '',
        save: unlessConflict(state),
      };
    }),
    on(BatchActions.redone, (state): BatchState => {
      const [plan, ...future] = state.future;
      if (!plan || !state.plan) return state;
      return {
        ...state,
        plan,
        past: [...state.past, state.plan],
        future,
        lastField: '',
        save: unlessConflict(state),
      };
    }),
    on(BatchActions.saveBegun, (state): BatchState => ({ ...state, save: 'saving', problem: null })),
    on(BatchActions.saved, (state, { batch, plan, secrets }): BatchState => {
      if (batch.id !== state.id) return state;
      const typed = unsent(state.typed, secrets);
      const clean = state.plan === plan && Object.keys(typed).length === 0;
      return { ...state, stored: batch, typed, save: clean ? 'saved' : 'changed', problem: null };
    }),
    on(BatchActions.saveFailed, (state, { problem }): BatchState => ({
      ...state,
      save: handlingOf(problem) === 'reload' ? 'conflict' : 'failed',
      problem,
    })),
    on(BatchActions.theirsTaken, (state): BatchState => ({
      ...state,
      save: 'saved',
      typed: {},
      problem: null,
    })),
    on(BatchActions.rebased, (state, { batch }): BatchState => ({
      ...state,
      stored: batch,
      save: 'changed',
      problem: null,
    })),
    on(BatchActions.made, (state, { batch }): BatchState => shown({ ...state, list: null }, batch)),
  ),
});

/** A conflict is solved by a person, not by typing on. */
const unlessConflict = (state: BatchState): SaveState => (state.save === 'conflict' ? 'conflict' : 'changed');
