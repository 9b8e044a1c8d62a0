import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { EMPTY, exhaustMap, filter, merge, switchMap, takeUntil, throttleTime } from 'rxjs';
import { HandOverApi } from '../api/hand-over-api';
import { ServerEvents } from '../api/server-events';
import { asked, quietly, told, whenever } from '../state/asked';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { HandOverActions, handOverFeature } from './hand-over.reducer';

/** Milliseconds between two looks while something goes on. */
const LOOK_EVERY = 400;

export const load = createEffect(
  (
    actions = inject(Actions),
    api = inject(HandOverApi),
    server = inject(ServerEvents),
    store = inject(Store),
  ) =>
    merge(
      actions.pipe(
        ofType(
          HandOverActions.lookedAt,
          HandOverActions.sizesChanged,
          HandOverActions.readDue,
          BatchActions.opened,
          BatchActions.saved,
        ),
      ),
      whenever(server, 'progress', 'bring-up'),
    ).pipe(
      throttleTime(LOOK_EVERY, undefined, { leading: true, trailing: true }),
      concatLatestFrom(() => [
        store.select(batchFeature.selectId),
        store.select(handOverFeature.selectLooking),
      ]),
      filter(([, , looking]) => looking),
      switchMap(([, batchId]) =>
        batchId === null
          ? EMPTY
          : merge(
              quietly(api.view(batchId), (view) => HandOverActions.came({ batchId, view })),
              quietly(api.exposure(batchId), (exposure) =>
                HandOverActions.exposureCame({ batchId, exposure }),
              ),
            ).pipe(takeUntil(actions.pipe(ofType(BatchActions.opened)))),
      ),
    ),
  { functional: true },
);

export const takeOver = createEffect(
  (actions = inject(Actions), api = inject(HandOverApi), store = inject(Store)) =>
    actions.pipe(
      ofType(HandOverActions.takenOver),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      exhaustMap(([{ order }, id]) =>
        id === null
          ? EMPTY
          : asked(
              api.takeOver(id, order),
              () => [],
              (problem) => HandOverActions.refused({ problem }),
            ),
      ),
    ),
  { functional: true },
);

export const startExposure = createEffect(
  (actions = inject(Actions), api = inject(HandOverApi), store = inject(Store)) =>
    actions.pipe(
      ofType(HandOverActions.exposureWanted),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      exhaustMap(([{ deviceIds, way }, batchId]) =>
        batchId === null || deviceIds.length === 0
          ? EMPTY
          : asked(
              api.startExposure(batchId, deviceIds, way),
              () => HandOverActions.readDue(),
              (problem) => HandOverActions.refused({ problem }),
            ),
      ),
    ),
  { functional: true },
);

export const stopExposure = createEffect(
  (actions = inject(Actions), api = inject(HandOverApi), store = inject(Store)) =>
    actions.pipe(
      ofType(HandOverActions.exposureStopped),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      exhaustMap(([, id]) => (id === null ? EMPTY : told(api.stopExposure(id)))),
    ),
  { functional: true },
);
