import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { concatMap, EMPTY, exhaustMap, filter, merge, switchMap, takeUntil, throttleTime } from 'rxjs';
import { Api } from '../api/api';
import { ServerEvents } from '../api/server-events';
import { asked, quietly, told, whenever } from '../state/asked';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { BringUpActions, bringUpFeature } from './bring-up.reducer';

/** Milliseconds between two looks while boards are at it. */
const LOOK_EVERY = 400;

export const load = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents), store = inject(Store)) =>
    merge(
      actions.pipe(
        ofType(BringUpActions.lookedAt, BringUpActions.readDue, BatchActions.opened, BatchActions.saved),
      ),
      whenever(server, 'bring-up', 'progress'),
    ).pipe(
      throttleTime(LOOK_EVERY, undefined, { leading: true, trailing: true }),
      concatLatestFrom(() => [
        store.select(batchFeature.selectId),
        store.select(bringUpFeature.selectLooking),
      ]),
      filter(([, , looking]) => looking),
      switchMap(([, id]) =>
        id === null
          ? EMPTY
          : quietly(api.bringUp(id), (bringUp) => BringUpActions.came({ bringUp })).pipe(
              takeUntil(actions.pipe(ofType(BatchActions.opened))),
            ),
      ),
    ),
  { functional: true },
);

export const start = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(BringUpActions.startWanted),
      concatLatestFrom(() => [
        store.select(batchFeature.selectId),
        store.select(bringUpFeature.selectUsedWay),
      ]),
      exhaustMap(([{ deviceIds }, id, way]) =>
        id === null || deviceIds.length === 0
          ? EMPTY
          : asked(
              api.startBringUp(id, deviceIds, way),
              () => BringUpActions.readDue(),
              (problem) => BringUpActions.refused({ problem }),
            ),
      ),
    ),
  { functional: true },
);

export const stop = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(BringUpActions.stopWanted),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      exhaustMap(([, id]) => (id === null ? EMPTY : told(api.stopBringUp(id)))),
    ),
  { functional: true },
);

/** Leaves a step out, and looks at the board again: what waited for it goes on. */
export const skip = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(BringUpActions.stepSkipped),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      concatMap(([{ deviceId, stepId, reason }, id]) =>
        id === null
          ? EMPTY
          : asked(
              api.skipStep(id, deviceId, stepId, reason),
              () => BringUpActions.startWanted({ deviceIds: [deviceId] }),
              (problem) => BringUpActions.refused({ problem }),
            ),
      ),
    ),
  { functional: true },
);
