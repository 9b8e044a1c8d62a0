import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { FieldPlan, FieldView, NewVisit, Problem, Purpose, TripCheckId } from '@nest-mark/core/api';
import { BatchActions } from '../state/batch.actions';

export const FieldActions = createActionGroup({
  source: 'Field',
  events: {
    /** Somebody looks at it: it is read, and read again when something goes on. */
    'Looked At': emptyProps(),
    'Looked Away': emptyProps(),
    Came: props<{ view: FieldView }>(),
    Edited: props<{ plan: FieldPlan }>(),
    Saved: props<{ sent: FieldPlan; view: FieldView }>(),
    Begun: props<{ purpose: Purpose }>(),
    Ended: props<{ tryId: string }>(),
    Ticked: props<{ check: TripCheckId; ticked: boolean }>(),
    'Lists Begun Anew': emptyProps(),
    Visited: props<{ visit: NewVisit }>(),
    'Visit Kept': props<{ view: FieldView }>(),
    Refused: props<{ problem: Problem }>(),
  },
});

export interface FieldState {
  looking: boolean;
  /** The trip as it is shown; null while it was not read. */
  view: FieldView | null;
  /** Whether something typed is not saved yet. */
  dirty: boolean;
  /** Visits that were kept since the page was opened: the form is emptied after each. */
  kept: number;
  problem: Problem | null;
}

const initial: FieldState = { looking: false, view: null, dirty: false, kept: 0, problem: null };

/** What the server tells, under what somebody is typing. */
const under = (state: FieldState, view: FieldView): FieldState =>
  state.dirty && state.view?.batchId === view.batchId
    ? { ...state, view: { ...view, plan: state.view.plan, version: state.view.version } }
    : { ...state, view, dirty: false };

export const fieldFeature = createFeature({
  name: 'field',
  reducer: createReducer<FieldState>(
    initial,
    on(FieldActions.lookedAt, (state): FieldState => ({ ...state, looking: true, problem: null })),
    on(FieldActions.lookedAway, (state): FieldState => ({ ...state, looking: false, problem: null })),
    on(FieldActions.came, (state, { view }): FieldState => under(state, view)),
    on(FieldActions.visitKept, (state, { view }): FieldState => ({
      ...under(state, view),
      kept: state.kept + 1,
      problem: null,
    })),
    on(FieldActions.edited, (state, { plan }): FieldState =>
      state.view ? { ...state, view: { ...state.view, plan }, dirty: true, problem: null } : state,
    ),
    on(FieldActions.saved, (state, { sent, view }): FieldState => {
      const later = state.dirty && state.view !== null && state.view.plan !== sent;
      return {
        ...state,
        view: later ? { ...view, plan: state.view?.plan ?? view.plan } : view,
        dirty: later,
      };
    }),
    on(FieldActions.begun, FieldActions.visited, (state): FieldState => ({ ...state, problem: null })),
    on(FieldActions.refused, (state, { problem }): FieldState => ({ ...state, problem, dirty: false })),
    on(BatchActions.opened, (state, { id }): FieldState =>
      state.view?.batchId === id ? state : { ...initial, looking: state.looking },
    ),
  ),
});
