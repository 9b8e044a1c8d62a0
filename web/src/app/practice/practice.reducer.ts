import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { PracticeAction, PracticeView, Problem } from '@nest-mark/core/api';

export const PracticeActions = createActionGroup({
  source: 'Practice bench',
  events: {
    Entered: emptyProps(),
    'View Came': props<{ view: PracticeView }>(),
    /** What was asked for is done: it is read anew, for its answer may be older than what came since. */
    'Read Due': emptyProps(),
    Done: props<{ action: PracticeAction }>(),
    Failed: props<{ problem: Problem }>(),
  },
});

export interface PracticeState {
  /** Whether somebody is at it: the page or the dock was opened. */
  entered: boolean;
  view: PracticeView | null;
  problem: Problem | null;
}

export const practiceFeature = createFeature({
  name: 'practice',
  reducer: createReducer<PracticeState>(
    { entered: false, view: null, problem: null },
    on(PracticeActions.entered, (state): PracticeState => ({ ...state, entered: true })),
    on(PracticeActions.viewCame, (state, { view }): PracticeState => ({ ...state, view })),
    on(PracticeActions.done, (state): PracticeState => ({ ...state, problem: null })),
    on(PracticeActions.failed, (state, { problem }): PracticeState => ({ ...state, problem })),
  ),
});
