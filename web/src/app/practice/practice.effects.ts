import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatMap, merge, switchMap, throttleTime } from 'rxjs';
import { Api } from '../api/api';
import { ServerEvents } from '../api/server-events';
import { PracticeActions } from './practice.reducer';
import { asked, whenever } from '../state/asked';

export const load = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents)) =>
    merge(actions.pipe(ofType(PracticeActions.entered)), whenever(server, 'practice', 'slots')).pipe(
      throttleTime(200, undefined, { leading: true, trailing: true }),
      switchMap(() =>
        asked(
          api.practice(),
          (view) => PracticeActions.viewCame({ view }),
          (problem) => PracticeActions.failed({ problem }),
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
        asked(
          api.practiceAction(action),
          (view) => PracticeActions.viewCame({ view }),
          (problem) => PracticeActions.failed({ problem }),
        ),
      ),
    ),
  { functional: true },
);
