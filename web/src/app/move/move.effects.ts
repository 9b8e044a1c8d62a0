import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { EMPTY, exhaustMap, filter, merge, mergeMap, of, switchMap, throttleTime } from 'rxjs';
import { MovesApi } from '../api/moves-api';
import { ServerEvents } from '../api/server-events';
import { asked, askedUntilBack, told, whenever } from '../state/asked';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { savedInTurn } from '../state/typed';
import { MoveActions, moveFeature } from './move.reducer';

/** Milliseconds between two looks while something goes on. */
const LOOK_EVERY = 400;

export const load = createEffect(
  (actions = inject(Actions), api = inject(MovesApi), server = inject(ServerEvents), store = inject(Store)) =>
    merge(
      actions.pipe(
        ofType(
          MoveActions.lookedAt,
          MoveActions.refused,
          MoveActions.readDue,
          BatchActions.opened,
          BatchActions.saved,
        ),
      ),
      whenever(server, 'move', 'progress', 'networks', 'boards'),
    ).pipe(
      throttleTime(LOOK_EVERY, undefined, { leading: true, trailing: true }),
      concatLatestFrom(() => [store.select(batchFeature.selectId), store.select(moveFeature.selectLooking)]),
      filter(([, , looking]) => looking),
      switchMap(([, batchId]) =>
        batchId === null
          ? EMPTY
          : askedUntilBack(
              () => api.current(batchId),
              (move) => MoveActions.came({ batchId, move }),
            ),
      ),
    ),
  { functional: true },
);

export const plan = createEffect(
  (actions = inject(Actions), api = inject(MovesApi), store = inject(Store)) =>
    actions.pipe(
      ofType(MoveActions.planned),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      exhaustMap(([{ plan: sent }, batchId]) =>
        batchId === null
          ? EMPTY
          : asked(
              api.plan(batchId, sent),
              (move) => MoveActions.saved({ batchId, sent, move }),
              (problem) => MoveActions.refused({ problem }),
            ),
      ),
    ),
  { functional: true },
);

export const save = createEffect(
  (actions = inject(Actions), api = inject(MovesApi), store = inject(Store)) =>
    savedInTurn(
      actions.pipe(
        ofType(MoveActions.edited),
        concatLatestFrom(() => store.select(moveFeature.selectMove)),
        mergeMap(([{ plan: sent }, move]) => (move === null ? EMPTY : of([sent, move] as const))),
      ),
      {
        key: ({ id }) => id,
        current: store.select(moveFeature.selectMove),
        save: (move, sent) => api.save(move, sent),
        saved: (sent, move) => MoveActions.saved({ batchId: move.batchId, sent, move }),
        refused: (problem) => MoveActions.refused({ problem }),
      },
    ),
  { functional: true },
);

export const start = createEffect(
  (actions = inject(Actions), api = inject(MovesApi), store = inject(Store)) =>
    actions.pipe(
      ofType(MoveActions.started),
      concatLatestFrom(() => store.select(moveFeature.selectMove)),
      exhaustMap(([{ task, deviceIds, way }, move]) =>
        move === null
          ? EMPTY
          : asked(
              api.start(move, task, deviceIds, way),
              () => MoveActions.readDue(),
              (problem) => MoveActions.refused({ problem }),
            ),
      ),
    ),
  { functional: true },
);

export const stop = createEffect(
  (actions = inject(Actions), api = inject(MovesApi), store = inject(Store)) =>
    actions.pipe(
      ofType(MoveActions.stopped),
      concatLatestFrom(() => store.select(moveFeature.selectMove)),
      exhaustMap(([, move]) => (move === null ? EMPTY : told(api.stop(move.id)))),
    ),
  { functional: true },
);

export const putAway = createEffect(
  (actions = inject(Actions), api = inject(MovesApi), store = inject(Store)) =>
    actions.pipe(
      ofType(MoveActions.putAway),
      concatLatestFrom(() => store.select(moveFeature.selectMove)),
      exhaustMap(([, move]) =>
        move === null
          ? EMPTY
          : asked(
              api.putAway(move.id),
              () => MoveActions.readDue(),
              (problem) => MoveActions.refused({ problem }),
            ),
      ),
    ),
  { functional: true },
);
