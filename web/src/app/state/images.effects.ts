import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { catchError, concatMap, exhaustMap, map, mergeMap, of, switchMap } from 'rxjs';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { ServerEvents } from '../api/server-events';
import { ImagesActions } from './images.reducer';
import { NoticeActions } from './notice';

export const loadImages = createEffect(
  (api = inject(Api), server = inject(ServerEvents)) =>
    server.connected.pipe(
      switchMap(() =>
        api.images().pipe(
          map((list) => ImagesActions.listCame({ list })),
          catchError((error: unknown) => of(NoticeActions.failed({ problem: asProblem(error) }))),
        ),
      ),
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
        api.addImage({ path, title, sha256 }).pipe(
          map((image) => ImagesActions.oneCame({ image })),
          catchError((error: unknown) => of(ImagesActions.addFailed({ problem: asProblem(error) }))),
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
        api.describeImage(id, title, about).pipe(
          map((image) => ImagesActions.oneCame({ image })),
          catchError((error: unknown) => of(NoticeActions.failed({ problem: asProblem(error) }))),
        ),
      ),
    ),
  { functional: true },
);

export const removeImage = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(ImagesActions.removalWanted),
      mergeMap(({ id }) =>
        api.removeImage(id).pipe(
          map(() => ImagesActions.removed({ id })),
          catchError((error: unknown) => of(NoticeActions.failed({ problem: asProblem(error) }))),
        ),
      ),
    ),
  { functional: true },
);
