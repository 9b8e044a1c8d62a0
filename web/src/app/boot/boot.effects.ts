import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import {
  concatMap,
  debounceTime,
  EMPTY,
  exhaustMap,
  filter,
  map,
  merge,
  mergeMap,
  switchMap,
  takeUntil,
  throttleTime,
} from 'rxjs';
import { searchSubnet } from '@nest-mark/core';
import { Api } from '../api/api';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { networksFeature } from '../state/networks.reducer';
import { ProgressActions } from '../state/progress.reducer';
import { BootActions, bootFeature } from './boot.reducer';
import { selectMissing, selectSearching } from './found';
import { asked, quietly, told } from '../state/asked';

/** Pause between two searches of a repeated one. */
const pauseMs = 5000;

/** Looks only on the subnet that stands in the plan or with its network, where the person typed it. */
export const search = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(BootActions.searchWanted),
      concatLatestFrom(() => [
        store.select(batchFeature.selectBatchState),
        store.select(networksFeature.selectFacts),
      ]),
      exhaustMap(([, { id, plan }, networks]) =>
        id === null || !plan
          ? EMPTY
          : asked(
              api.startSearch(id, searchSubnet(plan, networks), plan.network.port),
              (search) => [ProgressActions.searchCame({ search }), BootActions.searchBegun()],
              (problem) => BootActions.searchRefused({ problem }),
            ),
      ),
    ),
  { functional: true },
);

/** Goes on looking while somebody is missing, if the person asked for it; also when boards are powered later. */
export const repeat = createEffect(
  (actions = inject(Actions), store = inject(Store)) =>
    merge(
      actions.pipe(
        ofType(ProgressActions.searchCame),
        filter(({ search }) => search.state === 'done'),
      ),
      actions.pipe(ofType(ProgressActions.poweredNoted)),
    ).pipe(
      // Of several reasons in one pause one is enough.
      debounceTime(pauseMs),
      concatLatestFrom(() => [
        store.select(bootFeature.selectRepeat),
        store.select(selectMissing),
        store.select(selectSearching),
      ]),
      filter(([, wanted, missing, searching]) => wanted && missing.length > 0 && !searching),
      map(() => BootActions.searchWanted()),
    ),
  { functional: true },
);

export const leave = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(BootActions.searchLeft),
      mergeMap(({ searchId }) => told(api.cancelSearch(searchId))),
    ),
  { functional: true },
);

/** Begins to listen; what is heard comes with the progress. */
export const listen = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(BootActions.listenWanted),
      concatLatestFrom(() => store.select(batchFeature.selectBatchState)),
      exhaustMap(([{ sources, places, listPath }, { id, plan }]) =>
        id === null || !plan
          ? EMPTY
          : asked(
              api.startWatch(id, { sources, places, port: plan.network.port, listPath }),
              () => [],
              (problem) => BootActions.listenRefused({ problem }),
            ),
      ),
    ),
  { functional: true },
);

export const giveClues = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(BootActions.cluesGiven),
      concatLatestFrom(() => store.select(batchFeature.selectBatchState)),
      mergeMap(([{ text, source }, { id, plan }]) =>
        id === null || !plan
          ? EMPTY
          : asked(
              api.giveClues(id, { text, source, port: plan.network.port }),
              () => [],
              (problem) => BootActions.listenRefused({ problem }),
            ),
      ),
    ),
  { functional: true },
);

export const stopListening = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(BootActions.listenLeft),
      mergeMap(({ watchId }) => told(api.stopWatch(watchId))),
    ),
  { functional: true },
);

/** Who is there before, and which board is whose; what that comes to comes with the progress. */
export const sayOfHosts = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(BootActions.rememberWanted, BootActions.rememberedLeft, BootActions.boardNamed),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      concatMap(([said, id]) => {
        if (id === null) return EMPTY;
        const sent =
          said.type === BootActions.boardNamed.type
            ? api.nameBoard(id, { deviceId: said.deviceId, hardwareAddress: said.hardwareAddress })
            : said.type === BootActions.rememberWanted.type
              ? api.remember(id)
              : api.forgetRemembered(id);
        return asked(
          sent,
          () => [],
          (problem) => BootActions.heardRefused({ problem }),
        );
      }),
    ),
  { functional: true },
);

/** Asks why boards do not appear, while somebody looks: at once, and whenever how far they are has changed. */
export const loadCases = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(BootActions.casesWanted, BootActions.casesChanged, ProgressActions.came),
      concatLatestFrom(() => store.select(bootFeature.selectAsking)),
      filter(([, asking]) => asking),
      throttleTime(400, undefined, { leading: true, trailing: true }),
      // Once more after the pause: somebody may have left meanwhile.
      concatLatestFrom(() => [store.select(bootFeature.selectAsking), store.select(batchFeature.selectId)]),
      switchMap(([, asking, id]) =>
        !asking || id === null
          ? EMPTY
          : quietly(api.cases(id), ({ cases }) => BootActions.casesCame({ cases })).pipe(
              takeUntil(actions.pipe(ofType(BootActions.casesLeft, BatchActions.opened))),
            ),
      ),
    ),
  { functional: true },
);

/** One after the other: the next question depends on the answer. */
export const sayOfCase = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(BootActions.caseAnswered, BootActions.caseUnsaid, BootActions.caseMended),
      concatLatestFrom(() => store.select(batchFeature.selectId)),
      concatMap(([said, id]) => {
        if (id === null) return EMPTY;
        const { deviceIds } = said;
        const sent =
          said.type === BootActions.caseAnswered.type
            ? api.answerCase(id, { deviceIds, check: said.check, answer: said.answer })
            : said.type === BootActions.caseUnsaid.type
              ? api.unsayCase(id, { deviceIds, check: said.check })
              : api.mendCase(id, { deviceIds, cause: said.cause, inVain: said.inVain });
        return asked(
          sent,
          // Asked for anew, and not taken from the answer: a late one must not stand over what came since.
          () => BootActions.casesChanged(),
          (problem) => [BootActions.caseRefused({ problem }), BootActions.casesChanged()],
        );
      }),
    ),
  { functional: true },
);
