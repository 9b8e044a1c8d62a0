import {
  createActionGroup,
  createFeature,
  createReducer,
  createSelector,
  emptyProps,
  on,
  props,
} from '@ngrx/store';
import type { AirView, Problem, SavedView } from '@nest-mark/core/api';

export const AirActions = createActionGroup({
  source: 'Air',
  events: {
    'View Asked': emptyProps(),
    'View Came': props<{ view: AirView }>(),
    'Adapter Chosen': props<{ name: string }>(),
    'Look Wanted': props<{ adapter: string }>(),
    Looked: props<{ view: AirView }>(),
    'Look Failed': props<{ problem: Problem }>(),
    'Try Wanted': props<{ id: string; adapter: string; agreed: boolean }>(),
    Tried: emptyProps(),
    /** Somebody wants to see what this computer has saved. */
    'Saved Asked': emptyProps(),
    'Saved Came': props<{ saved: SavedView }>(),
    'Saved Taken': props<{ id: string }>(),
    'Saved On Shelf': props<{ id: string }>(),
    'Saved Failed': props<{ problem: Problem }>(),
    /** Without a problem where it is told in another place. */
    'Try Failed': props<{ id: string; problem: Problem | null }>(),
  },
});

export interface AirState {
  /** Null until it was read. */
  view: AirView | null;
  /** The adapter that somebody chose; null for the first that fits. */
  chosen: string | null;
  looking: boolean;
  /** Network whose key is being tried. */
  trying: string | null;
  problem: Problem | null;
  /** What this computer has saved; null where nobody asked. */
  saved: SavedView | null;
  /** The one of it that is being taken. */
  taking: string | null;
  /** Those that went onto the shelf since somebody asked. */
  taken: string[];
  savedProblem: Problem | null;
  /** What went wrong with a trial, by network. */
  refused: Record<string, Problem>;
}

const without = (refused: AirState['refused'], id: string): AirState['refused'] =>
  Object.fromEntries(Object.entries(refused).filter(([key]) => key !== id));

export const airFeature = createFeature({
  name: 'air',
  reducer: createReducer<AirState>(
    {
      view: null,
      chosen: null,
      looking: false,
      trying: null,
      problem: null,
      saved: null,
      taking: null,
      taken: [],
      savedProblem: null,
      refused: {},
    },
    on(AirActions.viewCame, (state, { view }): AirState => ({ ...state, view })),
    on(AirActions.adapterChosen, (state, { name }): AirState => ({ ...state, chosen: name })),
    on(AirActions.lookWanted, (state): AirState => ({ ...state, looking: true, problem: null })),
    on(AirActions.looked, (state, { view }): AirState => ({ ...state, view, looking: false })),
    on(AirActions.lookFailed, (state, { problem }): AirState => ({ ...state, looking: false, problem })),
    on(AirActions.savedAsked, (state): AirState => ({ ...state, savedProblem: null })),
    on(AirActions.savedCame, (state, { saved }): AirState => ({ ...state, saved, taken: [] })),
    on(AirActions.savedTaken, (state, { id }): AirState => ({ ...state, taking: id, savedProblem: null })),
    on(AirActions.savedOnShelf, (state, { id }): AirState => ({
      ...state,
      taking: null,
      taken: [...state.taken, id],
    })),
    on(AirActions.savedFailed, (state, { problem }): AirState => ({
      ...state,
      taking: null,
      savedProblem: problem,
    })),
    on(AirActions.tryWanted, (state, { id }): AirState => ({
      ...state,
      trying: id,
      refused: without(state.refused, id),
    })),
    on(AirActions.tried, (state): AirState => ({ ...state, trying: null })),
    on(AirActions.tryFailed, (state, { id, problem }): AirState => ({
      ...state,
      trying: null,
      refused: problem ? { ...state.refused, [id]: problem } : state.refused,
    })),
  ),
  extraSelectors: ({ selectView, selectChosen }) => ({
    /** The adapter that is used: the chosen one, or the first with which keys can be tried. */
    selectAdapter: createSelector(
      selectView,
      selectChosen,
      (view, chosen) =>
        view?.adapters.find(({ name }) => name === chosen) ??
        view?.adapters.find(({ mayTry }) => mayTry === '') ??
        view?.adapters[0] ??
        null,
    ),
  }),
});
