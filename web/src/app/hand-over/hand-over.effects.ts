import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { EMPTY, switchMap } from 'rxjs';
import { Api } from '../api/api';
import { batchFeature } from '../state/batch.reducer';
import { HandOverActions } from './hand-over.reducer';
import { asked } from '../state/asked';

export const look = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(HandOverActions.lookWanted),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      switchMap(([{ file }, id]) =>
        id === null
          ? EMPTY
          : asked(
              api.handOverFile(id, file),
              (text) => HandOverActions.textCame({ file, text }),
              (problem) => HandOverActions.textFailed({ problem }),
            ),
      ),
    ),
  { functional: true },
);
