import { createActionGroup, createFeature, createReducer, on, props } from '@ngrx/store';
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
    'Removal Wanted': props<{ id: string }>(),
    Removed: props<{ id: string }>(),
  },
});

export interface ImagesState {
  list: Image[] | null;
  adding: boolean;
  problem: Problem | null;
}

const find = ({ list }: ImagesState, id: string): Image | undefined => list?.find((image) => image.id === id);

/**
 * The answer to a request may come after the event that tells of its end: once read, an image never goes back to
 * being read.
 */
const newest = (known: Image | undefined, image: Image): Image =>
  known && known.state !== 'checking' && image.state === 'checking' ? known : image;

export const imagesFeature = createFeature({
  name: 'images',
  reducer: createReducer<ImagesState>(
    { list: null, adding: false, problem: null },
    on(ImagesActions.listCame, (state, { list }): ImagesState => ({
      ...state,
      list: list.map((image) => newest(find(state, image.id), image)),
    })),
    on(ImagesActions.addWanted, (state): ImagesState => ({ ...state, adding: true, problem: null })),
    on(ImagesActions.addFailed, (state, { problem }): ImagesState => ({ ...state, adding: false, problem })),
    on(ImagesActions.oneCame, (state, { image }): ImagesState => {
      const list = find(state, image.id)
        ? (state.list ?? []).map((other) => (other.id === image.id ? newest(other, image) : other))
        : [...(state.list ?? []), image];
      return { list, adding: false, problem: null };
    }),
    on(ImagesActions.removed, (state, { id }): ImagesState => ({
      ...state,
      list: (state.list ?? []).filter((image) => image.id !== id),
    })),
  ),
});
