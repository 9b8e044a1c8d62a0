import {
  createActionGroup,
  createFeature,
  createReducer,
  createSelector,
  emptyProps,
  on,
  props,
} from '@ngrx/store';
import type { BringUp, LoginWay, Problem } from '@nest-mark/core/api';
import { BatchActions } from '../state/batch.actions';

export const BringUpActions = createActionGroup({
  source: 'Bring up',
  events: {
    /** Somebody looks at it: it is read, and read again when something goes on. */
    'Looked At': emptyProps(),
    'Looked Away': emptyProps(),
    Came: props<{ bringUp: BringUp }>(),
    /** What was asked for is done: it is read anew, for its answer may be older than what came since. */
    'Read Due': emptyProps(),
    'Start Wanted': props<{ deviceIds: string[] }>(),
    'Stop Wanted': emptyProps(),
    'Step Skipped': props<{ deviceId: string; stepId: string; reason: string }>(),
    'Way Chosen': props<{ way: LoginWay }>(),
    Refused: props<{ problem: Problem }>(),
  },
});

export interface BringUpState {
  /** As the server has it; null until it was read. */
  bringUp: BringUp | null;
  looking: boolean;
  /** By what to log in; null for the first way that there is. */
  way: LoginWay | null;
  problem: Problem | null;
}

const initial: BringUpState = { bringUp: null, looking: false, way: null, problem: null };

export const bringUpFeature = createFeature({
  name: 'bringUp',
  reducer: createReducer<BringUpState>(
    initial,
    on(BringUpActions.lookedAt, (state): BringUpState => ({ ...state, looking: true })),
    on(BringUpActions.lookedAway, (state): BringUpState => ({ ...state, looking: false, problem: null })),
    on(BringUpActions.came, (state, { bringUp }): BringUpState => ({ ...state, bringUp })),
    on(BringUpActions.wayChosen, (state, { way }): BringUpState => ({ ...state, way, problem: null })),
    on(BringUpActions.startWanted, BringUpActions.stepSkipped, (state): BringUpState => ({
      ...state,
      problem: null,
    })),
    on(BringUpActions.refused, (state, { problem }): BringUpState => ({ ...state, problem })),
    on(BatchActions.opened, (state, { id }): BringUpState =>
      state.bringUp?.batchId === id ? state : { ...initial, looking: state.looking },
    ),
  ),
  extraSelectors: ({ selectBringUp, selectWay }) => ({
    selectUsedWay: createSelector(
      selectBringUp,
      selectWay,
      (bringUp, way): LoginWay => way ?? bringUp?.ways.find(({ lacks }) => lacks === '')?.way ?? 'bench-key',
    ),
  }),
});
