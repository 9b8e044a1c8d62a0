import { createEntityAdapter, type EntityState } from '@ngrx/entity';
import {
  createActionGroup,
  createFeature,
  createReducer,
  createSelector,
  emptyProps,
  on,
  props,
} from '@ngrx/store';
import type { OwnDescription, Problem, ShelvedMethod } from '@nest-mark/core';

export const MethodsActions = createActionGroup({
  source: 'Methods',
  events: {
    'List Asked': emptyProps(),
    'List Came': props<{ list: ShelvedMethod[] }>(),
    'Save Wanted': props<{ id: string; description: OwnDescription; version: number }>(),
    Saved: props<{ method: ShelvedMethod }>(),
    'Save Failed': props<{ problem: Problem }>(),
    'Removal Wanted': props<{ id: string }>(),
  },
});

export interface MethodsState {
  /** Null until the shelf came. */
  shelf: EntityState<ShelvedMethod> | null;
  problem: Problem | null;
  /** Rises with each save that went well, so that a form knows it may close. */
  saves: number;
}

const shelf = createEntityAdapter<ShelvedMethod>();
const none: readonly ShelvedMethod[] = [];

/** First-boot methods that people described. */
export const methodsFeature = createFeature({
  name: 'methods',
  reducer: createReducer<MethodsState>(
    { shelf: null, problem: null, saves: 0 },
    on(MethodsActions.listCame, (state, { list }): MethodsState => ({
      ...state,
      shelf: shelf.setAll(list, shelf.getInitialState()),
    })),
    on(MethodsActions.saveWanted, (state): MethodsState => ({ ...state, problem: null })),
    on(MethodsActions.saved, (state, { method }): MethodsState => ({
      ...state,
      problem: null,
      saves: state.saves + 1,
      shelf: shelf.setOne(method, state.shelf ?? shelf.getInitialState()),
    })),
    on(MethodsActions.saveFailed, (state, { problem }): MethodsState => ({ ...state, problem })),
  ),
  extraSelectors: ({ selectShelf }) => ({
    selectList: createSelector(selectShelf, (kept): readonly ShelvedMethod[] =>
      kept ? shelf.getSelectors().selectAll(kept) : none,
    ),
  }),
});
