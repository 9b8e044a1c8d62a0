import { createEntityAdapter, type EntityState } from '@ngrx/entity';
import { createActionGroup, createFeature, createReducer, createSelector, on, props } from '@ngrx/store';
import type { ImageAbout } from '@nest-mark/core';
import type { Image, Problem } from '@nest-mark/core/api';

export const ImagesActions = createActionGroup({
  source: 'Images',
  events: {
    'List Came': props<{ list: Image[] }>(),
    'One Came': props<{ image: Image }>(),
    'Add Wanted': props<{ path: string; title: string; sha256: string }>(),
    'Add Failed': props<{ problem: Problem }>(),
    Described: props<{ id: string; title: string; about: ImageAbout }>(),
    'Stop Wanted': props<{ id: string }>(),
    'Removal Wanted': props<{ id: string }>(),
    Removed: props<{ id: string }>(),
  },
});

export interface ImagesState {
  /** Null until it was read. */
  shelf: EntityState<Image> | null;
  adding: boolean;
  problem: Problem | null;
}

const shelf = createEntityAdapter<Image>();

/**
 * The answer to a request may come after the event that tells of its end: once read, an image never goes back to
 * being read.
 */
const newest = (known: Image | undefined, image: Image): Image =>
  known && known.state !== 'checking' && image.state === 'checking' ? known : image;

export const imagesFeature = createFeature({
  name: 'images',
  reducer: createReducer<ImagesState>(
    { shelf: null, adding: false, problem: null },
    on(ImagesActions.listCame, (state, { list }): ImagesState => ({
      ...state,
      shelf: shelf.setAll(
        list.map((image) => newest(state.shelf?.entities[image.id], image)),
        state.shelf ?? shelf.getInitialState(),
      ),
    })),
    on(ImagesActions.addWanted, (state): ImagesState => ({ ...state, adding: true, problem: null })),
    on(ImagesActions.addFailed, (state, { problem }): ImagesState => ({ ...state, adding: false, problem })),
    on(ImagesActions.oneCame, (state, { image }): ImagesState => ({
      shelf: shelf.setOne(
        newest(state.shelf?.entities[image.id], image),
        state.shelf ?? shelf.getInitialState(),
      ),
      adding: false,
      problem: null,
    })),
    on(ImagesActions.removed, (state, { id }): ImagesState => ({
      ...state,
      shelf: state.shelf && shelf.removeOne(id, state.shelf),
    })),
  ),
  extraSelectors: ({ selectShelf }) => ({
    selectList: createSelector(selectShelf, (kept) => kept && shelf.getSelectors().selectAll(kept)),
  }),
});
