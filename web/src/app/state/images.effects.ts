import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { concatMap, exhaustMap, mergeMap, of, switchMap } from 'rxjs';
import { Api } from '../api/api';
import { ServerEvents } from '../api/server-events';
import { ImagesActions } from './images.reducer';
import { afterSaving } from './saved-first';
import { asked, told, whenever } from './asked';

export const loadImages = createEffect(
  (api = inject(Api), server = inject(ServerEvents)) =>
    // An image brings the description of its own method along.
    whenever(server, 'methods').pipe(
      switchMap(() => asked(api.images(), (list) => ImagesActions.listCame({ list }))),
    ),
  { functional: true },
);

export const followImages = createEffect(
  (server = inject(ServerEvents)) =>
    server.events.pipe(
      mergeMap((event) => (event.type === 'image' ? of(ImagesActions.oneCame({ image: event.image })) : [])),
    ),
  { functional: true },
);

export const addImage = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(ImagesActions.addWanted),
      exhaustMap(({ path, title, sha256 }) =>
        asked(
          api.addImage({ path, title, sha256 }),
          (image) => ImagesActions.oneCame({ image }),
          (problem) => ImagesActions.addFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const describeImage = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(ImagesActions.described),
      concatMap(({ id, title, about }) =>
        asked(api.describeImage(id, title, about), (image) => ImagesActions.oneCame({ image })),
      ),
    ),
  { functional: true },
);

export const stopImage = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(ImagesActions.stopWanted),
      mergeMap(({ id }) => told(api.stopImage(id))),
    ),
  { functional: true },
);

export const removeImage = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(ImagesActions.removalWanted),
      mergeMap(({ id }) =>
        afterSaving(store).pipe(
          switchMap(() => asked(api.removeImage(id), () => ImagesActions.removed({ id }))),
        ),
      ),
    ),
  { functional: true },
);
