import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { Exposure, HandOverView, LoginWay, Problem, TakenOver } from '@nest-mark/core/api';
import { BatchActions } from '../state/batch.actions';

export const HandOverActions = createActionGroup({
  source: 'Hand over',
  events: {
    /** Somebody looks at it: it is read, and read again when something goes on. */
    'Looked At': emptyProps(),
    'Looked Away': emptyProps(),
    Came: props<{ batchId: string; view: HandOverView }>(),
    /** What was asked for is done: it is read anew, for its answer may be older than what came since. */
    'Read Due': emptyProps(),
    'Exposure Came': props<{ batchId: string; exposure: Exposure }>(),
    'Taken Over': props<{ order: TakenOver }>(),
    'Exposure Wanted': props<{ deviceIds: string[]; way: LoginWay | null }>(),
    'Exposure Stopped': emptyProps(),
    /** Sizes of labels were saved or removed. */
    'Sizes Changed': emptyProps(),
    Refused: props<{ problem: Problem }>(),
  },
});

export interface HandOverState {
  batchId: string | null;
  looking: boolean;
  /** As the server has it; null until it was read. */
  view: HandOverView | null;
  exposure: Exposure | null;
  problem: Problem | null;
}

const initial: HandOverState = { batchId: null, looking: false, view: null, exposure: null, problem: null };

export const handOverFeature = createFeature({
  name: 'handOver',
  reducer: createReducer<HandOverState>(
    initial,
    on(HandOverActions.lookedAt, (state): HandOverState => ({ ...state, looking: true, problem: null })),
    on(HandOverActions.lookedAway, (state): HandOverState => ({ ...state, looking: false, problem: null })),
    on(HandOverActions.came, (state, { batchId, view }): HandOverState => ({
      ...state,
      batchId,
      view,
      exposure: state.batchId === batchId ? state.exposure : null,
    })),
    on(HandOverActions.exposureCame, (state, { batchId, exposure }): HandOverState => ({
      ...state,
      batchId,
      exposure,
      view: state.batchId === batchId ? state.view : null,
    })),
    on(HandOverActions.takenOver, HandOverActions.exposureWanted, (state): HandOverState => ({
      ...state,
      problem: null,
    })),
    on(HandOverActions.refused, (state, { problem }): HandOverState => ({ ...state, problem })),
    on(BatchActions.opened, (state, { id }): HandOverState =>
      state.batchId === id ? state : { ...initial, looking: state.looking },
    ),
  ),
});
