import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { ListenAt, Problem, SignalView } from '@nest-mark/core/api';
import { BatchActions } from '../state/batch.actions';

export const SignalActions = createActionGroup({
  source: 'Signal',
  events: {
    /** Somebody looks at it: it is read, and read again when somebody else walks. */
    'Looked At': emptyProps(),
    'Looked Away': emptyProps(),
    Came: props<{ view: SignalView }>(),
    /** What was asked for is done: it is read anew, for its answer may be older than what came since. */
    'Read Due': emptyProps(),
    'Listen Wanted': props<{ at: ListenAt }>(),
    Listened: props<{ view: SignalView }>(),
    'Forget Wanted': props<{ place: string }>(),
    Refused: props<{ batchId: string; problem: Problem }>(),
  },
});

export interface SignalState {
  /** The batch that is open; null while that is not known here. */
  batchId: string | null;
  looking: boolean;
  /** What was read; null while that was not asked. */
  view: SignalView | null;
  /** Place at which is listened now. */
  listening: string | null;
  problem: Problem | null;
}

const initial: SignalState = { batchId: null, looking: false, view: null, listening: null, problem: null };

/** Whether something is about another batch than the one that was opened meanwhile. */
const late = (state: SignalState, batchId: string): boolean =>
  state.batchId !== null && state.batchId !== batchId;

export const signalFeature = createFeature({
  name: 'signal',
  reducer: createReducer<SignalState>(
    initial,
    on(SignalActions.lookedAt, (state): SignalState => ({ ...state, looking: true })),
    on(SignalActions.lookedAway, (state): SignalState => ({ ...state, looking: false, problem: null })),
    on(SignalActions.came, (state, { view }): SignalState =>
      late(state, view.batchId) ? state : { ...state, batchId: view.batchId, view },
    ),
    on(SignalActions.listenWanted, (state, { at }): SignalState => ({
      ...state,
      listening: at.place,
      problem: null,
    })),
    on(SignalActions.listened, (state, { view }): SignalState =>
      late(state, view.batchId) ? state : { ...state, view, listening: null },
    ),
    on(SignalActions.forgetWanted, (state): SignalState => ({ ...state, problem: null })),
    on(SignalActions.refused, (state, { batchId, problem }): SignalState =>
      late(state, batchId) ? state : { ...state, listening: null, problem },
    ),
    on(BatchActions.opened, (state, { id }): SignalState =>
      state.batchId === id ? state : { ...initial, batchId: id, looking: state.looking },
    ),
  ),
});
