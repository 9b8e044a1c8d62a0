import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { catchError, EMPTY, map, of, switchMap } from 'rxjs';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { batchFeature } from '../state/batch.reducer';
import { HandOverActions } from './hand-over.reducer';

export const look = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(HandOverActions.lookWanted),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      switchMap(([{ file }, id]) =>
        id === null
          ? EMPTY
          : api.handOverFile(id, file).pipe(
              map((text) => HandOverActions.textCame({ file, text })),
              catchError((error: unknown) => of(HandOverActions.textFailed({ problem: asProblem(error) }))),
            ),
      ),
    ),
  { functional: true },
);
