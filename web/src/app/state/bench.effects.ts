import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import {
  catchError,
  concatMap,
  EMPTY,
  exhaustMap,
  filter,
  map,
  merge,
  mergeMap,
  of,
  switchMap,
  throttleTime,
  type Observable,
} from 'rxjs';
import type { ServerEvent } from '@nest-mark/core/api';
import { asProblem } from '../api/api-problem';
import { CardsApi } from '../api/cards-api';
import { ServerEvents } from '../api/server-events';
import { BenchActions } from './bench.reducer';
import { failed, told } from './told';

const whenever = (server: ServerEvents, type: ServerEvent['type']): Observable<unknown> =>
  merge(server.connected, server.events.pipe(filter((event) => event.type === type)));

export const loadSettings = createEffect(
  (api = inject(CardsApi), server = inject(ServerEvents)) =>
    whenever(server, 'settings').pipe(
      switchMap(() =>
        api.benchSettings().pipe(
          map((settings) => BenchActions.settingsCame({ settings })),
          catchError(failed),
        ),
      ),
    ),
  { functional: true },
);

export const saveSettings = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(BenchActions.settingsChanged),
      concatMap(({ settings }) =>
        api.setBench(settings).pipe(
          map((kept) => BenchActions.settingsCame({ settings: kept })),
          catchError((error: unknown) =>
            merge(
              failed(error),
              // What was not kept is not shown.
              api.benchSettings().pipe(
                map((kept) => BenchActions.settingsCame({ settings: kept })),
                catchError(() => EMPTY),
              ),
            ),
          ),
        ),
      ),
    ),
  { functional: true },
);

export const loadRecords = createEffect(
  (api = inject(CardsApi), server = inject(ServerEvents)) =>
    whenever(server, 'cards').pipe(
      throttleTime(300, undefined, { leading: true, trailing: true }),
      switchMap(() =>
        api.cards().pipe(
          map((records) => BenchActions.recordsCame({ records })),
          catchError(failed),
        ),
      ),
    ),
  { functional: true },
);

export const saveRecord = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(BenchActions.recordChanged),
      concatMap(({ key, change }) =>
        api.saveCard(key, change).pipe(
          map((record) => BenchActions.recordCame({ record })),
          catchError(failed),
        ),
      ),
    ),
  { functional: true },
);

export const proveCard = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(BenchActions.proofWanted),
      exhaustMap(({ order }) =>
        api.proveCard(order).pipe(
          map((record) => BenchActions.proofBegun({ record })),
          catchError((error: unknown) => of(BenchActions.proofRefused({ problem: asProblem(error) }))),
        ),
      ),
    ),
  { functional: true },
);

export const stopProof = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(BenchActions.proofStopped),
      mergeMap(({ key }) => told(api.stopProof(key))),
    ),
  { functional: true },
);

export const releaseSlot = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(BenchActions.releaseWanted),
      mergeMap(({ slotId }) => told(api.releaseSlot(slotId))),
    ),
  { functional: true },
);

export const ejectSlot = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(BenchActions.ejectWanted),
      mergeMap(({ slotId }) => told(api.ejectSlot(slotId))),
    ),
  { functional: true },
);
