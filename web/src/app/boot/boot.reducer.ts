import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { Problem } from '@nest-mark/core/api';
import { BatchActions } from '../state/batch.actions';

export const BootActions = createActionGroup({
  source: 'Boot',
  events: {
    'Search Wanted': emptyProps(),
    'Search Begun': emptyProps(),
    'Search Refused': props<{ problem: Problem }>(),
    'Search Left': props<{ scanId: string }>(),
    'Repeat Set': props<{ repeat: boolean }>(),
  },
});

export const bootFeature = createFeature({
  name: 'boot',
  reducer: createReducer<{ repeat: boolean; problem: Problem | null }>(
    { repeat: false, problem: null },
    on(BootActions.searchWanted, (state) => ({ ...state, problem: null })),
    on(BootActions.searchRefused, (_state, { problem }) => ({ repeat: false, problem })),
    on(BootActions.searchLeft, (state) => ({ ...state, repeat: false })),
    on(BootActions.repeatSet, (state, { repeat }) => ({ ...state, repeat })),
    on(BatchActions.opened, () => ({ repeat: false, problem: null })),
  ),
});
