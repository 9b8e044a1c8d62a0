import { createActionGroup, createFeature, createReducer, on, props } from '@ngrx/store';
import type { Image, Problem } from '@nest-mark/core/api';

export const ImagesActions = createActionGroup({
  source: 'Images',
  events: {
    'List Came': props<{ list: Image[] }>(),
    'One Came': props<{ image: Image }>(),
    'Add Wanted': props<{ path: string; title: string; sha256: string }>(),
    'Add Failed': props<{ problem: Problem }>(),
    'Removal Wanted': props<{ id: string }>(),
    Removed: props<{ id: string }>(),
  },
});

export interface ImagesState {
  list: Image[] | null;
  adding: boolean;
  problem: Problem | null;
}

export const imagesFeature = createFeature({
  name: 'images',
  reducer: createReducer<ImagesState>(
    { list: null, adding: false, problem: null },
    on(ImagesActions.listCame, (state, { list }): ImagesState => ({ ...state, list })),
    on(ImagesActions.addWanted, (state): ImagesState => ({ ...state, adding: true, problem: null })),
    on(ImagesActions.addFailed, (state, { problem }): ImagesState => ({ ...state, adding: false, problem })),
    on(ImagesActions.oneCame, (state, { image }): ImagesState => {
      const known = (state.list ?? []).some(({ id }) => id === image.id);
      const list = known
        ? (state.list ?? []).map((other) => (other.id === image.id ? image : other))
        : [...(state.list ?? []), image];
      return { list, adding: false, problem: null };
    }),
    on(ImagesActions.removed, (state, { id }): ImagesState => ({
      ...state,
      list: (state.list ?? []).filter((image) => image.id !== id),
    })),
  ),
});
