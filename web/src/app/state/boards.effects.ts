import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { catchError, concatMap, EMPTY, filter, map, merge, mergeMap, of, switchMap } from 'rxjs';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { ServerEvents } from '../api/server-events';
import { BoardsActions } from './boards.reducer';
import { NoticeActions } from './notice';

export const loadBoards = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents)) =>
    merge(
      server.connected,
      server.events.pipe(filter((event) => event.type === 'boards')),
      actions.pipe(ofType(BoardsActions.listAsked)),
    ).pipe(
      switchMap(() =>
        api.boards().pipe(
          map((list) => BoardsActions.listCame({ list })),
          catchError((error: unknown) => of(NoticeActions.failed({ problem: asProblem(error) }))),
        ),
      ),
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
        api.rates().pipe(
          map((rates) => BoardsActions.ratesCame({ rates })),
          // The forecast then goes on with book values, and says so.
          catchError(() => EMPTY),
        ),
      ),
    ),
  { functional: true },
);

export const saveBoard = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(BoardsActions.saveWanted),
      concatMap(({ board, version }) =>
        api.saveBoard(board, version).pipe(
          map((saved) => BoardsActions.saved({ board: saved })),
          catchError((error: unknown) => {
            const problem = asProblem(error);
            return of(BoardsActions.saveFailed({ problem }), BoardsActions.listAsked());
          }),
        ),
      ),
    ),
  { functional: true },
);

export const removeBoard = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(BoardsActions.removalWanted),
      mergeMap(({ id }) =>
        api.removeBoard(id).pipe(
          map(() => BoardsActions.listAsked()),
          catchError((error: unknown) => of(NoticeActions.failed({ problem: asProblem(error) }))),
        ),
      ),
    ),
  { functional: true },
);
