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
import {
  shippedBoards,
  type BoardProfile,
  type BoardTime,
  type MeasuredRate,
  type Problem,
  type ShelvedBoard,
} from '@nest-mark/core';

export const BoardsActions = createActionGroup({
  source: 'Boards',
  events: {
    'List Asked': emptyProps(),
    'List Came': props<{ list: ShelvedBoard[] }>(),
    'Save Wanted': props<{ board: BoardProfile; version: number }>(),
    Saved: props<{ board: ShelvedBoard }>(),
    'Save Failed': props<{ problem: Problem }>(),
    'Removal Wanted': props<{ id: string }>(),
    'Rates Came': props<{ rates: MeasuredRate[] }>(),
    'Times Asked': emptyProps(),
    'Times Came': props<{ times: BoardTime[] }>(),
  },
});

export interface BoardsState {
  shelf: EntityState<ShelvedBoard>;
  saving: boolean;
  problem: Problem | null;
  /** Rises with each save that went well, so that a form knows it may close. */
  saves: number;
  rates: readonly MeasuredRate[];
  times: readonly BoardTime[];
}

const shelf = createEntityAdapter<ShelvedBoard>();

export const boardsFeature = createFeature({
  name: 'boards',
  reducer: createReducer<BoardsState>(
    {
      shelf: shelf.setAll([...shippedBoards], shelf.getInitialState()),
      saving: false,
      problem: null,
      saves: 0,
      rates: [],
      times: [],
    },
    on(BoardsActions.listCame, (state, { list }): BoardsState => ({
      ...state,
      shelf: shelf.setAll(list, state.shelf),
    })),
    on(BoardsActions.saveWanted, (state): BoardsState => ({ ...state, saving: true, problem: null })),
    on(BoardsActions.saved, (state, { board }): BoardsState => ({
      ...state,
      saving: false,
      saves: state.saves + 1,
      shelf: shelf.setOne(board, state.shelf),
    })),
    on(BoardsActions.saveFailed, (state, { problem }): BoardsState => ({ ...state, saving: false, problem })),
    on(BoardsActions.ratesCame, (state, { rates }): BoardsState => ({ ...state, rates })),
    on(BoardsActions.timesCame, (state, { times }): BoardsState => ({ ...state, times })),
  ),
  extraSelectors: ({ selectShelf }) => ({
    selectList: createSelector(selectShelf, (kept): readonly ShelvedBoard[] =>
      shelf.getSelectors().selectAll(kept),
    ),
  }),
});
