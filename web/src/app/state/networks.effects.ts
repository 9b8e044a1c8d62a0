import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import {
  catchError,
  concatMap,
  debounceTime,
  EMPTY,
  filter,
  groupBy,
  map,
  merge,
  mergeMap,
  of,
  switchMap,
  take,
} from 'rxjs';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { ServerEvents } from '../api/server-events';
import { BatchActions } from './batch.actions';
import { batchFeature } from './batch.reducer';
import { NetworksActions, networksFeature } from './networks.reducer';
import { NoticeActions } from './notice';

/** Pause in typing after which a network is saved. */
const saveAfterMs = 500;

export const loadNetworks = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents)) =>
    merge(
      server.connected,
      server.events.pipe(filter((event) => event.type === 'networks')),
      actions.pipe(ofType(NetworksActions.listAsked, NetworksActions.theirsTaken)),
    ).pipe(
      switchMap(() =>
        api.networks().pipe(
          map((list) => NetworksActions.listCame({ list })),
          catchError((error: unknown) => of(NoticeActions.failed({ problem: asProblem(error) }))),
        ),
      ),
    ),
  { functional: true },
);

export const saveNetworkSoon = createEffect(
  (actions = inject(Actions)) =>
    actions.pipe(
      ofType(NetworksActions.edited, NetworksActions.secretTyped),
      groupBy(({ id }) => id),
      mergeMap((one) => one.pipe(debounceTime(saveAfterMs))),
      map(({ id }) => NetworksActions.saveDue({ id })),
    ),
  { functional: true },
);

export const saveNetwork = createEffect(
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(NetworksActions.saveDue),
      concatMap(({ id }) =>
        store.select(networksFeature.selectNetworksState).pipe(
          take(1),
          switchMap(({ list, edits }) => {
            const stored = list?.find((network) => network.id === id);
            const edit = edits[id];
            if (!stored || !edit || edit.save === 'conflict') return EMPTY;
            const sent = {
              network: edit.network,
              ...(edit.secret === undefined ? {} : { secret: edit.secret }),
            };
            return merge(
              of(NetworksActions.saveBegun({ id })),
              api.saveNetwork(id, stored.version, sent).pipe(
                map((network) => NetworksActions.saved({ network, sent })),
                catchError((error: unknown) =>
                  of(NetworksActions.saveFailed({ id, problem: asProblem(error) })),
                ),
              ),
            );
          }),
        ),
      ),
    ),
  { functional: true },
);

/** After a conflict: reads the newest version, then saves over it. */
export const keepMine = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(NetworksActions.mineKept),
      mergeMap(({ id }) =>
        api.networks().pipe(
          mergeMap((list) => of(NetworksActions.listCame({ list }), NetworksActions.saveDue({ id }))),
          catchError((error: unknown) => of(NoticeActions.failed({ problem: asProblem(error) }))),
        ),
      ),
    ),
  { functional: true },
);

export const addNetwork = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(NetworksActions.addWanted),
      concatMap(({ network, plan }) =>
        api.addNetwork({ network }).pipe(
          map((added) => NetworksActions.added({ network: added, plan })),
          catchError((error: unknown) => of(NoticeActions.failed({ problem: asProblem(error) }))),
        ),
      ),
    ),
  { functional: true },
);

/** Puts a network that was made from the plan into the plan, below those that are there. */
export const joinAdded = createEffect(
  (actions = inject(Actions), store = inject(Store)) =>
    actions.pipe(
      ofType(NetworksActions.added),
      filter(({ plan }) => plan),
      concatLatestFrom(() => store.select(batchFeature.selectPlan)),
      mergeMap(([{ network }, plan]) => {
        if (!plan) return EMPTY;
        const lowest = Math.min(20, ...plan.networks.map(({ priority }) => priority));
        const networks = [...plan.networks, { networkId: network.id, priority: lowest - 10 }];
        return of(BatchActions.edited({ plan: { ...plan, networks }, field: '' }));
      }),
    ),
  { functional: true },
);

export const removeNetwork = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(NetworksActions.removalWanted),
      mergeMap(({ id }) =>
        api.removeNetwork(id).pipe(
          map(() => NetworksActions.removed({ id })),
          catchError((error: unknown) => of(NoticeActions.failed({ problem: asProblem(error) }))),
        ),
      ),
    ),
  { functional: true },
);
