import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { catchError, concatMap, debounceTime, EMPTY, from, map, merge, of, switchMap, take, tap } from 'rxjs';
import { emptyPlan, PlanSchema, type Plan } from '@nest-mark/core';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { ServerEvents } from '../api/server-events';
import { BatchActions } from './batch.actions';
import { batchFeature } from './batch.reducer';
import { selectImageFacts, selectKept } from './selectors';
import { asked, askedUntilBack, whenever } from './asked';

/** Whether two plans say the same, whatever the order of their fields. */
function isSamePlan(a: Plan, b: Plan): boolean {
  const [first, second] = [PlanSchema.safeParse(a), PlanSchema.safeParse(b)];
  return first.success && second.success && JSON.stringify(first.data) === JSON.stringify(second.data);
}

/** Pause in typing after which a plan is saved. */
const saveAfterMs = 500;

export const loadList = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents)) =>
    merge(
      actions.pipe(ofType(BatchActions.listAsked, BatchActions.made, BatchActions.saved)),
      whenever(server, 'batches'),
    ).pipe(
      switchMap(() =>
        askedUntilBack(
          () => api.batches(),
          (list) => BatchActions.listCame({ list }),
        ),
      ),
    ),
  { functional: true },
);

export const open = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(BatchActions.opened),
      switchMap(({ id }) =>
        askedUntilBack(
          () => api.batch(id),
          (batch) => BatchActions.came({ batch }),
          (problem) => BatchActions.notOpened({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const saveSoon = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(BatchActions.edited, BatchActions.secretTyped, BatchActions.undone, BatchActions.redone),
      debounceTime(saveAfterMs),
      map(() => BatchActions.saveDue()),
    ),
  { functional: true },
);

/** One save after the other: a second one under way would fight with the first about the version. */
export const save = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(BatchActions.saveDue, BatchActions.rebased),
      concatMap(() =>
        store.select(batchFeature.selectBatchState).pipe(
          take(1),
          switchMap(({ stored, plan, typed, save: standing }) => {
            if (!stored || !plan || standing === 'conflict' || standing === 'saved') return EMPTY;
            const request = api.saveBatch(stored.id, stored.version, { plan, secrets: typed }).pipe(
              map((batch) => BatchActions.saved({ batch, plan, secrets: typed })),
              catchError((error: unknown) => {
                const failed = BatchActions.saveFailed({ problem: asProblem(error) });
                // The answer to an earlier save may have been lost on its way: then what is there is our own.
                return failed.problem.code === 'plan-changed'
                  ? api.batch(stored.id).pipe(
                      map((batch) =>
                        isSamePlan(batch.plan, plan) ? BatchActions.rebased({ batch }) : failed,
                      ),
                      catchError(() => of(failed)),
                    )
                  : of(failed);
              }),
            );
            return merge(of(BatchActions.saveBegun()), request);
          }),
        ),
      ),
    ),
  { functional: true },
);

/** After a conflict: reads the version that somebody else saved, to show it or to save over it. */
export const settleConflict = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(BatchActions.theirsTaken, BatchActions.mineKept),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      switchMap(([{ type }, id]) =>
        id === null
          ? EMPTY
          : asked(api.batch(id), (batch) =>
              type === BatchActions.mineKept.type
                ? BatchActions.rebased({ batch })
                : BatchActions.came({ batch }),
            ),
      ),
    ),
  { functional: true },
);

export const make = createEffect(
  (actions = inject(Actions), api = inject(Api), router = inject(Router), store = inject(Store)) =>
    actions.pipe(
      ofType(BatchActions.newWanted),
      concatLatestFrom(() => store.select(selectImageFacts)),
      switchMap(([{ name, begin = 'plan' }, images]) =>
        // Where there is no choice, nobody has to choose.
        asked(
          api
            .createBatch({
              plan: { ...emptyPlan(name), imageId: images.length === 1 ? (images[0]?.id ?? null) : null },
              secrets: {},
            })
            .pipe(
              switchMap((batch) => from(router.navigate(['/batch', batch.id, begin])).pipe(map(() => batch))),
            ),
          (batch) => BatchActions.made({ batch }),
        ),
      ),
    ),
  { functional: true },
);

/** Asks before a page with unsaved work is left. */
export const guardUnload = createEffect(
  (store = inject(Store)) =>
    store.select(selectKept).pipe(
      tap((state) => {
        window.onbeforeunload = state === 'saved' ? null : (event) => event.preventDefault();
      }),
    ),
  { functional: true, dispatch: false },
);
