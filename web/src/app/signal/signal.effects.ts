import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { concatMap, EMPTY, filter, merge, switchMap } from 'rxjs';
import { SignalApi } from '../api/signal-api';
import { ServerEvents } from '../api/server-events';
import { asked, askedUntilBack, whenever } from '../state/asked';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { SignalActions, signalFeature } from './signal.reducer';

export const load = createEffect(
  (
    actions = inject(Actions),
    api = inject(SignalApi),
    server = inject(ServerEvents),
    store = inject(Store),
  ) =>
    merge(
      actions.pipe(
        ofType(SignalActions.lookedAt, SignalActions.listened, SignalActions.readDue, BatchActions.opened),
      ),
      whenever(server, 'signal'),
    ).pipe(
      concatLatestFrom(() => [
        store.select(batchFeature.selectId),
        store.select(signalFeature.selectLooking),
      ]),
      filter(([, , looking]) => looking),
      switchMap(([, batchId]) =>
        batchId === null
          ? EMPTY
          : askedUntilBack(
              () => api.view(batchId),
              (view) => SignalActions.came({ view }),
              (problem) => SignalActions.refused({ batchId, problem }),
            ),
      ),
    ),
  { functional: true },
);

export const listen = createEffect(
  (actions = inject(Actions), api = inject(SignalApi), store = inject(Store)) =>
    actions.pipe(
      ofType(SignalActions.listenWanted),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      // One after the other: somebody may have gone to another batch while it was listened for the first.
      concatMap(([{ at }, batchId]) =>
        batchId === null
          ? EMPTY
          : asked(
              api.listen(batchId, at),
              (view) => SignalActions.listened({ view }),
              (problem) => SignalActions.refused({ batchId, problem }),
            ),
      ),
    ),
  { functional: true },
);

export const forget = createEffect(
  (actions = inject(Actions), api = inject(SignalApi), store = inject(Store)) =>
    actions.pipe(
      ofType(SignalActions.forgetWanted),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      concatMap(([{ place }, batchId]) =>
        batchId === null
          ? EMPTY
          : asked(
              api.forget(batchId, place),
              () => SignalActions.readDue(),
              (problem) => SignalActions.refused({ batchId, problem }),
            ),
      ),
    ),
  { functional: true },
);
