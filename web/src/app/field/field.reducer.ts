import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { FieldPlan, FieldView, NewVisit, Problem, Purpose, TripCheckId } from '@nest-mark/core/api';
import { isAway } from '../api/api-problem';
import { BatchActions } from '../state/batch.actions';

export const FieldActions = createActionGroup({
  source: 'Field',
  events: {
    /** Somebody looks at it: it is read, and read again when something goes on. */
    'Looked At': emptyProps(),
    'Looked Away': emptyProps(),
    Came: props<{ view: FieldView }>(),
    /** What was asked for is done: it is read anew, for its answer may be older than what came since. */
    'Read Due': emptyProps(),
    Edited: props<{ plan: FieldPlan }>(),
    Saved: props<{ sent: FieldPlan; view: FieldView }>(),
    Begun: props<{ purpose: Purpose }>(),
    Ended: props<{ tryId: string }>(),
    Ticked: props<{ check: TripCheckId; ticked: boolean }>(),
    'Lists Begun Anew': emptyProps(),
    Visited: props<{ visit: NewVisit }>(),
    'Visit Kept': props<{ batchId: string }>(),
    Refused: props<{ problem: Problem }>(),
  },
});

export interface FieldState {
  /** Whose trip it is; null while that is not known here. */
  batchId: string | null;
  looking: boolean;
  /** The trip as it is shown; null while it was not read. */
  view: FieldView | null;
  /** Whether something typed is not saved yet. */
  dirty: boolean;
  /** Visits that were kept since the page was opened: the form is emptied after each. */
  kept: number;
  problem: Problem | null;
}

const initial: FieldState = {
  batchId: null,
  looking: false,
  view: null,
  dirty: false,
  kept: 0,
  problem: null,
};

/** Whether an answer is of another batch than the one that was opened since it was asked for. */
const late = (state: FieldState, batchId: string): boolean =>
  state.batchId !== null && state.batchId !== batchId;

/** What the server tells, under what somebody is typing. */
function under(state: FieldState, view: FieldView): FieldState {
  if (late(state, view.batchId)) return state;
  return state.dirty && state.view
    ? { ...state, view: { ...view, plan: state.view.plan, version: state.view.version } }
    : { ...state, batchId: view.batchId, view, dirty: false };
}

export const fieldFeature = createFeature({
  name: 'field',
  reducer: createReducer<FieldState>(
    initial,
    on(FieldActions.lookedAt, (state): FieldState => ({ ...state, looking: true, problem: null })),
    on(FieldActions.lookedAway, (state): FieldState => ({ ...state, looking: false, problem: null })),
    on(FieldActions.came, (state, { view }): FieldState => under(state, view)),
    on(FieldActions.visitKept, (state, { batchId }): FieldState =>
      late(state, batchId) ? state : { ...state, kept: state.kept + 1, problem: null },
    ),
    on(FieldActions.edited, (state, { plan }): FieldState =>
      state.view ? { ...state, view: { ...state.view, plan }, dirty: true, problem: null } : state,
    ),
    on(FieldActions.saved, (state, { sent, view }): FieldState => {
      if (late(state, view.batchId)) return state;
      const later = state.dirty && state.view !== null && state.view.plan !== sent;
      return {
        ...state,
        view: later ? { ...view, plan: state.view?.plan ?? view.plan } : view,
        dirty: later,
      };
    }),
    on(FieldActions.begun, FieldActions.visited, (state): FieldState => ({ ...state, problem: null })),
    // What is typed stays while the server is away: it is saved when that is back.
    on(FieldActions.refused, (state, { problem }): FieldState => ({
      ...state,
      problem,
      dirty: state.dirty && isAway(problem),
    })),
    on(BatchActions.opened, (state, { id }): FieldState =>
      state.batchId === id ? state : { ...initial, batchId: id, looking: state.looking },
    ),
  ),
});
