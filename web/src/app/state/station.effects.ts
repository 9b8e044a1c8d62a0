import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatMap, exhaustMap, merge, mergeMap, switchMap, throttleTime } from 'rxjs';
import { CardsApi } from '../api/cards-api';
import { ServerEvents } from '../api/server-events';
import { StationActions } from './station.reducer';
import { NoticeActions } from './notice';
import { asked, told, whenever } from './asked';

export const loadSettings = createEffect(
  (actions = inject(Actions), api = inject(CardsApi), server = inject(ServerEvents)) =>
    merge(whenever(server, 'settings'), actions.pipe(ofType(StationActions.settingsAsked))).pipe(
      switchMap(() => asked(api.stationSettings(), (settings) => StationActions.settingsCame({ settings }))),
    ),
  { functional: true },
);

export const saveSettings = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(StationActions.settingsChanged),
      concatMap(({ settings }) =>
        asked(
          api.setStation(settings),
          (kept) => StationActions.settingsCame({ settings: kept }),
          // What was not kept is not shown.
          (problem) => [NoticeActions.failed({ problem }), StationActions.settingsAsked()],
        ),
      ),
    ),
  { functional: true },
);

export const loadRecords = createEffect(
  (api = inject(CardsApi), server = inject(ServerEvents)) =>
    whenever(server, 'cards').pipe(
      throttleTime(300, undefined, { leading: true, trailing: true }),
      switchMap(() => asked(api.cards(), (records) => StationActions.recordsCame({ records }))),
    ),
  { functional: true },
);

export const saveRecord = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(StationActions.recordChanged),
      concatMap(({ key, change }) =>
        asked(api.saveCard(key, change), (record) => StationActions.recordCame({ record })),
      ),
    ),
  { functional: true },
);

export const checkCapacity = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(StationActions.capacityWanted),
      exhaustMap(({ order }) =>
        asked(
          api.checkCapacity(order),
          (record) => StationActions.capacityBegun({ record }),
          (problem) => StationActions.capacityRefused({ problem }),
        ),
      ),
    ),
  { functional: true },
);

export const stopCheck = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(StationActions.capacityCheckStopped),
      mergeMap(({ key }) => told(api.stopCheck(key))),
    ),
  { functional: true },
);

export const releaseSlot = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(StationActions.releaseWanted),
      mergeMap(({ slotId }) => told(api.releaseSlot(slotId))),
    ),
  { functional: true },
);

export const ejectSlot = createEffect(
  (actions = inject(Actions), api = inject(CardsApi)) =>
    actions.pipe(
      ofType(StationActions.ejectWanted),
      mergeMap(({ slotId }) => told(api.ejectSlot(slotId))),
    ),
  { functional: true },
);
