import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { Problem } from '@nest-mark/core/api';
import { BatchActions } from '../state/batch.actions';

export const BootActions = createActionGroup({
  source: 'Boot',
  events: {
    'Search Wanted': emptyProps(),
    'Search Begun': emptyProps(),
    'Search Refused': props<{ problem: Problem }>(),
    'Search Left': props<{ searchId: string }>(),
    'Repeat Set': props<{ repeat: boolean }>(),
  },
});

export interface BootState {
  /** Whether to search again until everybody is proved. */
  repeat: boolean;
  problem: Problem | null;
}

export const bootFeature = createFeature({
  name: 'boot',
  reducer: createReducer<BootState>(
    { repeat: false, problem: null },
    on(BootActions.searchWanted, (state): BootState => ({ ...state, problem: null })),
    on(BootActions.searchRefused, (_state, { problem }): BootState => ({ repeat: false, problem })),
    on(BootActions.searchLeft, (state): BootState => ({ ...state, repeat: false })),
    on(BootActions.repeatSet, (state, { repeat }): BootState => ({ ...state, repeat })),
    on(BatchActions.opened, (): BootState => ({ repeat: false, problem: null })),
  ),
});
