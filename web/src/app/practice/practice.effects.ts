import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { concatMap, filter, merge, switchMap, throttleTime } from 'rxjs';
import { Api } from '../api/api';
import { ServerEvents } from '../api/server-events';
import { PracticeActions, practiceFeature } from './practice.reducer';
import { asked, whenever } from '../state/asked';

/** Looks at the practice bench once somebody is at it, and again whenever something changes there. */
export const load = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents), store = inject(Store)) =>
    merge(
      actions.pipe(ofType(PracticeActions.entered, PracticeActions.readDue)),
      whenever(server, 'practice', 'slots'),
    ).pipe(
      concatLatestFrom(() => store.select(practiceFeature.selectEntered)),
      filter(([, entered]) => entered),
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
          () => PracticeActions.readDue(),
          (problem) => PracticeActions.failed({ problem }),
        ),
      ),
    ),
  { functional: true },
);
