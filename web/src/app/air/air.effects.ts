import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { asapScheduler, exhaustMap, filter, map, merge, subscribeOn, switchMap, take } from 'rxjs';
import { AirApi } from '../api/air-api';
import { ServerEvents } from '../api/server-events';
import { asked, quietly, whenever } from '../state/asked';
import { NetworksActions, networksFeature } from '../state/networks.reducer';
import { AirActions, airFeature } from './air.reducer';

/** Read when a page asks for it, and after that whenever it changes. */
export const loadAir = createEffect(
  (actions = inject(Actions), api = inject(AirApi), server = inject(ServerEvents), store = inject(Store)) =>
    merge(
      // Every editor on a page asks as it opens; the bench looks for its adapters once.
      actions.pipe(
        ofType(AirActions.viewAsked),
        exhaustMap(() => quietly(api.view(), (view) => AirActions.viewCame({ view }))),
      ),
      whenever(server, 'air', 'settings').pipe(
        switchMap(() => store.select(airFeature.selectView).pipe(take(1))),
        filter((view) => view !== null),
        switchMap(() => quietly(api.view(), (view) => AirActions.viewCame({ view }))),
      ),
    ),
  { functional: true },
);

export const lookAround = createEffect(
  (actions = inject(Actions), api = inject(AirApi)) =>
    actions.pipe(
      ofType(AirActions.lookWanted),
      exhaustMap(({ adapter }) =>
        asked(
          api.look(adapter),
          (view) => AirActions.looked({ view }),
          (problem) => AirActions.lookFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

/** What was typed last is what is tried: it is saved before. */
export const tryKey = createEffect(
  (actions = inject(Actions), api = inject(AirApi), store = inject(Store)) =>
    actions.pipe(
      ofType(AirActions.tryWanted),
      exhaustMap(({ id, adapter, agreed }) => {
        store.dispatch(NetworksActions.saveDue({ id }));
        return store.select(networksFeature.selectNetworksState).pipe(
          // A save that failed before is begun anew by then.
          subscribeOn(asapScheduler),
          map(({ shelf, edits }) => ({ stored: shelf?.entities[id], edit: edits[id] })),
          filter(({ edit }) => !edit || edit.save === 'failed' || edit.save === 'conflict'),
          take(1),
          switchMap(({ stored, edit }) =>
            edit || !stored
              ? [AirActions.tryFailed({ id, problem: null })]
              : asked(
                  api.tryKey(id, stored.version, adapter, agreed),
                  (network) => [NetworksActions.tried({ network }), AirActions.tried()],
                  (problem) => AirActions.tryFailed({ id, problem }),
                ),
          ),
        );
      }),
    ),
  { functional: true },
);

export const askSaved = createEffect(
  (actions = inject(Actions), api = inject(AirApi)) =>
    actions.pipe(
      ofType(AirActions.savedAsked),
      exhaustMap(() =>
        asked(
          api.saved(),
          (saved) => AirActions.savedCame({ saved }),
          (problem) => AirActions.savedFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const takeSaved = createEffect(
  (actions = inject(Actions), api = inject(AirApi)) =>
    actions.pipe(
      ofType(AirActions.savedTaken),
      exhaustMap(({ id }) =>
        asked(
          api.takeSaved(id),
          () => AirActions.savedOnShelf({ id }),
          (problem) => AirActions.savedFailed({ problem }),
        ),
      ),
    ),
  { functional: true },
);
