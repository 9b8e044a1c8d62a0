import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { concatMap, filter, merge, mergeMap, switchMap } from 'rxjs';
import { Api } from '../api/api';
import { ServerEvents } from '../api/server-events';
import { BoardsActions } from './boards.reducer';
import { afterSaving } from './saved-first';
import { asked, quietly, whenever } from './asked';

export const loadBoards = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents)) =>
    merge(whenever(server, 'boards'), actions.pipe(ofType(BoardsActions.listAsked))).pipe(
      switchMap(() => asked(api.boards(), (list) => BoardsActions.listCame({ list }))),
    ),
  { functional: true },
);

/** Rates are learnt at the end of each round. */
export const loadRates = createEffect(
  (api = inject(Api), server = inject(ServerEvents)) =>
    merge(
      server.connected,
      server.events.pipe(filter((event) => event.type === 'round' && event.round.state === 'done')),
    ).pipe(
      switchMap(() =>
        // Without them the forecast goes on with book values, and says so.
        quietly(api.rates(), (rates) => BoardsActions.ratesCame({ rates })),
      ),
    ),
  { functional: true },
);

/** How long boards took is learnt as they become ready; it is asked for where a forecast is looked at. */
export const loadTimes = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(BoardsActions.timesAsked),
      switchMap(() => quietly(api.boardTimes(), (times) => BoardsActions.timesCame({ times }))),
    ),
  { functional: true },
);

export const saveBoard = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(BoardsActions.saveWanted),
      concatMap(({ board, version }) =>
        asked(
          api.saveBoard(board, version),
          (saved) => BoardsActions.saved({ board: saved }),
          (problem) => [BoardsActions.saveFailed({ problem }), BoardsActions.listAsked()],
        ),
      ),
    ),
  { functional: true },
);

export const removeBoard = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(BoardsActions.removalWanted),
      mergeMap(({ id }) =>
        afterSaving(store).pipe(switchMap(() => asked(api.removeBoard(id), () => BoardsActions.listAsked()))),
      ),
    ),
  { functional: true },
);
