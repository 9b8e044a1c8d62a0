import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import {
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
import { ServerEvents } from '../api/server-events';
import { BatchActions } from './batch.actions';
import { batchFeature } from './batch.reducer';
import { NetworksActions, networksFeature } from './networks.reducer';
import { afterSaving } from './saved-first';
import { asked, whenever } from './asked';

/** Pause in typing after which a network is saved. */
const saveAfterMs = 500;

export const loadNetworks = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents)) =>
    merge(
      whenever(server, 'networks'),
      actions.pipe(ofType(NetworksActions.listAsked, NetworksActions.theirsTaken)),
    ).pipe(switchMap(() => asked(api.networks(), (list) => NetworksActions.listCame({ list })))),
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
          switchMap(({ shelf, edits }) => {
            const stored = shelf?.entities[id];
            const edit = edits[id];
            if (!stored || !edit || edit.save === 'conflict') return EMPTY;
            const sent = {
              network: edit.network,
              ...(edit.secret === undefined ? {} : { secret: edit.secret }),
            };
            return merge(
              of(NetworksActions.saveBegun({ id })),
              asked(
                api.saveNetwork(id, stored.version, sent),
                (network) => NetworksActions.saved({ network, sent }),
                (problem) => NetworksActions.saveFailed({ id, problem }),
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
        asked(api.networks(), (list) => [
          NetworksActions.listCame({ list }),
          NetworksActions.saveDue({ id }),
        ]),
      ),
    ),
  { functional: true },
);

export const addNetwork = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(NetworksActions.addWanted),
      concatMap(({ network, plan, secret }) =>
        asked(api.addNetwork({ network, ...(secret ? { secret } : {}) }), (added) =>
          NetworksActions.added({ network: added, plan }),
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
  (actions = inject(Actions), api = inject(Api), store = inject(Store)) =>
    actions.pipe(
      ofType(NetworksActions.removalWanted),
      mergeMap(({ id }) =>
        afterSaving(store).pipe(
          switchMap(() => asked(api.removeNetwork(id), () => NetworksActions.removed({ id }))),
        ),
      ),
    ),
  { functional: true },
);
