import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { EMPTY, merge, mergeMap, of, switchMap, throttleTime } from 'rxjs';
import { Api } from '../api/api';
import { ServerEvents } from '../api/server-events';
import { BatchActions } from './batch.actions';
import { batchFeature } from './batch.reducer';
import { ProgressActions } from './progress.reducer';
import { quietly, told, whenever } from './asked';

/** Reads the whole progress when the batch changes, when the server says so, and after a lost connection. */
export const loadProgress = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents), store = inject(Store)) =>
    merge(
      actions.pipe(ofType(BatchActions.opened, BatchActions.saved, BatchActions.made)),
      whenever(server, 'progress'),
    ).pipe(
      throttleTime(150, undefined, { leading: true, trailing: true }),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      switchMap(([, id]) =>
        id === null ? EMPTY : quietly(api.progress(id), (progress) => ProgressActions.came({ progress })),
      ),
    ),
  { functional: true },
);

export const followProgress = createEffect(
  (server = inject(ServerEvents)) =>
    server.events.pipe(
      mergeMap((event) => {
        if (event.type === 'round') return of(ProgressActions.roundCame({ round: event.round }));
        return event.type === 'search' ? of(ProgressActions.searchCame({ search: event.search })) : EMPTY;
      }),
    ),
  { functional: true },
);

export const note = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(ProgressActions.poweredNoted, ProgressActions.handOverNoted),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      mergeMap(([{ type, deviceIds }, id]) => {
        if (id === null || deviceIds.length === 0) return EMPTY;
        const sent =
          type === ProgressActions.poweredNoted.type
            ? api.powered(id, deviceIds)
            : api.handedOver(id, deviceIds);
        return told(sent);
      }),
    ),
  { functional: true },
);
