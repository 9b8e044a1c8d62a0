import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store, type Action } from '@ngrx/store';
import { EMPTY, exhaustMap, merge, mergeMap, switchMap, throttleTime, type Observable } from 'rxjs';
import type { Round } from '@nest-mark/core/api';
import { Api } from '../api/api';
import { ServerEvents } from '../api/server-events';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { ProgressActions } from '../state/progress.reducer';
import { CardsApi } from '../api/cards-api';
import { CardsActions } from './cards.reducer';
import { asked, told, whenever } from '../state/asked';

/** What may change the proposal: cards in and out, the plan, the beginning and the end of a round. */
export const loadProposal = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents), store = inject(Store)) =>
    merge(
      actions.pipe(
        ofType(CardsActions.entered, BatchActions.saved, BatchActions.came, CardsActions.roundBegun),
      ),
      whenever(server, 'slots', 'progress', 'image', 'cards', 'settings'),
    ).pipe(
      throttleTime(200, undefined, { leading: true, trailing: true }),
      // Of a batch that cannot be opened its page tells.
      concatLatestFrom(() => [store.select(batchFeature.selectId), store.select(batchFeature.selectPlan)]),
      switchMap(([, id, plan]) =>
        id === null || !plan
          ? EMPTY
          : asked(api.nextRound(id), (proposal) => CardsActions.proposalCame({ proposal })),
      ),
    ),
  { functional: true },
);

const begun = (request: Observable<Round>): Observable<Action> =>
  asked(
    request,
    (round) => [ProgressActions.roundCame({ round }), CardsActions.roundBegun({ round })],
    (problem) => CardsActions.roundRefused({ problem }),
  );

export const armRound = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(CardsActions.roundConfirmed),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      exhaustMap(([{ request }, id]) => (id === null ? EMPTY : begun(api.armRound(id, request)))),
    ),
  { functional: true },
);

export const resumeRound = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(CardsActions.resumeConfirmed),
      exhaustMap(({ roundId, request }) => begun(api.resumeRound(roundId, request))),
    ),
  { functional: true },
);

export const cancelRound = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(CardsActions.cancelWanted),
      mergeMap(({ roundId }) => told(api.cancelRound(roundId))),
    ),
  { functional: true },
);

export const pauseRound = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(CardsActions.pauseWanted),
      mergeMap(({ roundId, paused }) => told(api.pauseRound(roundId, paused))),
    ),
  { functional: true },
);

export const carrierDone = createEffect(
  (actions = inject(Actions), api = inject(CardsApi), store = inject(Store)) =>
    actions.pipe(
      ofType(CardsActions.carrierDone),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      mergeMap(([{ deviceId }, id]) => (id === null ? EMPTY : told(api.carrierDone(id, [deviceId])))),
    ),
  { functional: true },
);
