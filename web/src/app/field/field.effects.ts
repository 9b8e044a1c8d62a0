import { inject } from '@angular/core';
import type { FieldView } from '@nest-mark/core/api';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store, type Action } from '@ngrx/store';
import {
  concatMap,
  EMPTY,
  exhaustMap,
  filter,
  merge,
  mergeMap,
  of,
  switchMap,
  throttleTime,
  type Observable,
} from 'rxjs';
import { FieldApi } from '../api/field-api';
import { ServerEvents } from '../api/server-events';
import { asked, askedUntilBack, told, whenever } from '../state/asked';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { savedInTurn } from '../state/typed';
import { FieldActions, fieldFeature } from './field.reducer';

/** Milliseconds between two looks while something goes on. */
const LOOK_EVERY = 400;

/** A request about the trip that is shown; its refusal is shown on the page. */
const about = (
  view: FieldView | null,
  ask: (view: FieldView) => Observable<FieldView>,
  come: (view: FieldView) => Action = () => FieldActions.readDue(),
): Observable<Action> =>
  view === null ? EMPTY : asked(ask(view), come, (problem) => FieldActions.refused({ problem }));

export const load = createEffect(
  (actions = inject(Actions), api = inject(FieldApi), server = inject(ServerEvents), store = inject(Store)) =>
    merge(
      actions.pipe(
        ofType(
          FieldActions.lookedAt,
          FieldActions.refused,
          FieldActions.listsBegunAnew,
          FieldActions.readDue,
          FieldActions.visitKept,
          BatchActions.opened,
          BatchActions.saved,
        ),
      ),
      whenever(server, 'field', 'progress', 'networks', 'boards'),
    ).pipe(
      throttleTime(LOOK_EVERY, undefined, { leading: true, trailing: true }),
      concatLatestFrom(() => [store.select(batchFeature.selectId), store.select(fieldFeature.selectLooking)]),
      filter(([, , looking]) => looking),
      switchMap(([, batchId]) =>
        batchId === null
          ? EMPTY
          : askedUntilBack(
              () => api.view(batchId),
              (view) => FieldActions.came({ view }),
            ),
      ),
    ),
  { functional: true },
);

export const save = createEffect(
  (actions = inject(Actions), api = inject(FieldApi), store = inject(Store)) =>
    savedInTurn(
      actions.pipe(
        ofType(FieldActions.edited),
        concatLatestFrom(() => store.select(fieldFeature.selectView)),
        mergeMap(([{ plan }, view]) => (view === null ? EMPTY : of([plan, view] as const))),
      ),
      {
        key: ({ batchId }) => batchId,
        current: store.select(fieldFeature.selectView),
        save: (view, plan) => api.save(view, plan),
        saved: (sent, view) => FieldActions.saved({ sent, view }),
        refused: (problem) => FieldActions.refused({ problem }),
      },
    ),
  { functional: true },
);

export const begin = createEffect(
  (actions = inject(Actions), api = inject(FieldApi), store = inject(Store)) =>
    actions.pipe(
      ofType(FieldActions.begun),
      concatLatestFrom(() => store.select(fieldFeature.selectView)),
      exhaustMap(([{ purpose }, now]) => about(now, (view) => api.begin(view, purpose))),
    ),
  { functional: true },
);

export const end = createEffect(
  (actions = inject(Actions), api = inject(FieldApi)) =>
    actions.pipe(
      ofType(FieldActions.ended),
      exhaustMap(({ tryId }) => told(api.end(tryId))),
    ),
  { functional: true },
);

export const tick = createEffect(
  (actions = inject(Actions), api = inject(FieldApi), store = inject(Store)) =>
    actions.pipe(
      ofType(FieldActions.ticked),
      concatLatestFrom(() => store.select(fieldFeature.selectView)),
      concatMap(([{ check, ticked }, now]) => about(now, ({ batchId }) => api.tick(batchId, check, ticked))),
    ),
  { functional: true },
);

export const clearTicks = createEffect(
  (actions = inject(Actions), api = inject(FieldApi), store = inject(Store)) =>
    actions.pipe(
      ofType(FieldActions.listsBegunAnew),
      concatLatestFrom(() => store.select(fieldFeature.selectView)),
      exhaustMap(([, view]) => (view === null ? EMPTY : told(api.clearTicks(view.batchId)))),
    ),
  { functional: true },
);

export const visit = createEffect(
  (actions = inject(Actions), api = inject(FieldApi), store = inject(Store)) =>
    actions.pipe(
      ofType(FieldActions.visited),
      concatLatestFrom(() => store.select(fieldFeature.selectView)),
      exhaustMap(([{ visit: given }, now]) =>
        about(
          now,
          ({ batchId }) => api.visit(batchId, given),
          ({ batchId }) => FieldActions.visitKept({ batchId }),
        ),
      ),
    ),
  { functional: true },
);
