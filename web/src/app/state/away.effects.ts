import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { debounceTime, filter, map, merge, mergeMap, of } from 'rxjs';
import { isAway } from '../api/api-problem';
import { ServerEvents } from '../api/server-events';
import { againAfterMs } from './asked';
import { BatchActions } from './batch.actions';
import { batchFeature } from './batch.reducer';
import { NetworksActions, networksFeature } from './networks.reducer';
import { noticeFeature, NoticeActions } from './notice';

/**
 * What was typed while the server or its database was away is saved by itself once they are back: when the connection
 * comes back, and now and then for a database that was away behind a server that stayed.
 */
export const saveAgain = createEffect(
  (actions = inject(Actions), server = inject(ServerEvents), store = inject(Store)) =>
    merge(
      server.connected,
      actions.pipe(
        ofType(BatchActions.saveFailed, NetworksActions.saveFailed),
        filter(({ problem }) => isAway(problem)),
        debounceTime(againAfterMs),
      ),
    ).pipe(
      concatLatestFrom(() => [
        store.select(batchFeature.selectBatchState),
        store.select(networksFeature.selectEdits),
      ]),
      mergeMap(([, batch, edits]) =>
        of(
          ...(batch.save === 'failed' && isAway(batch.problem) ? [BatchActions.saveDue()] : []),
          ...Object.entries(edits)
            .filter(([, { save, problem }]) => save === 'failed' && isAway(problem))
            .map(([id]) => NetworksActions.saveDue({ id })),
        ),
      ),
    ),
  { functional: true },
);

/** That the server does not answer is not said any more once it does. */
export const noticeGone = createEffect(
  (server = inject(ServerEvents), store = inject(Store)) =>
    server.connected.pipe(
      concatLatestFrom(() => store.select(noticeFeature.selectNotice)),
      filter(([, notice]) => notice?.away === true),
      map(() => NoticeActions.dismissed()),
    ),
  { functional: true },
);
