import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { exhaustMap, merge, switchMap, throttleTime } from 'rxjs';
import { Api } from '../api/api';
import { ServerEvents } from '../api/server-events';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { LogActions, logFeature, logPage, type LogFilter } from './log.reducer';
import { asked, whenever } from '../state/asked';

function queryOf(
  { scope, deviceId, cardSerial }: LogFilter,
  batchId: string | null,
  before?: string,
): Record<string, string> {
  return {
    limit: String(logPage),
    ...(scope === 'batch' && batchId !== null ? { batchId } : {}),
    ...(deviceId ? { deviceId } : {}),
    ...(cardSerial ? { cardSerial } : {}),
    ...(before === undefined ? {} : { before }),
  };
}

export const loadNewest = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents), store = inject(Store)) =>
    merge(
      actions.pipe(ofType(LogActions.entered, LogActions.narrowed, BatchActions.opened)),
      whenever(server, 'log'),
    ).pipe(
      throttleTime(300, undefined, { leading: true, trailing: true }),
      concatLatestFrom(() => [store.select(logFeature.selectLogState), store.select(batchFeature.selectId)]),
      switchMap(([, { filter, question }, id]) =>
        asked(
          api.log(queryOf(filter, id)),
          (entries) => LogActions.newestCame({ question, entries }),
          (problem) => LogActions.failed({ question, problem }),
        ),
      ),
    ),
  { functional: true },
);

export const loadOlder = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(LogActions.olderWanted),
      concatLatestFrom(() => [store.select(logFeature.selectLogState), store.select(batchFeature.selectId)]),
      exhaustMap(([, { filter, question, entries: read }, id]) =>
        asked(
          api.log(queryOf(filter, id, read?.at(-1)?.id)),
          (entries) => LogActions.olderCame({ question, entries }),
          (problem) => LogActions.failed({ question, problem }),
        ),
      ),
    ),
  { functional: true },
);
