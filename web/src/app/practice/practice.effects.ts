import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { catchError, concatMap, filter, map, merge, of, switchMap, throttleTime } from 'rxjs';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { ServerEvents } from '../api/server-events';
import { PracticeActions } from './practice.reducer';

export const load = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents)) =>
    merge(
      actions.pipe(ofType(PracticeActions.entered)),
      server.events.pipe(filter(({ type }) => type === 'practice' || type === 'slots')),
      server.connected,
    ).pipe(
      throttleTime(200, undefined, { leading: true, trailing: true }),
      switchMap(() =>
        api.practice().pipe(
          map((view) => PracticeActions.viewCame({ view })),
          catchError((error: unknown) => of(PracticeActions.failed({ problem: asProblem(error) }))),
        ),
      ),
    ),
  { functional: true },
);

export const act = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(PracticeActions.done),
      concatMap(({ action }) =>
        api.practiceAction(action).pipe(
          map((view) => PracticeActions.viewCame({ view })),
          catchError((error: unknown) => of(PracticeActions.failed({ problem: asProblem(error) }))),
        ),
      ),
    ),
  { functional: true },
);
