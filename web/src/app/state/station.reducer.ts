import {
  createActionGroup,
  createFeature,
  createReducer,
  createSelector,
  emptyProps,
  on,
  props,
} from '@ngrx/store';
import type { StationSettings, CardRecord, Problem, StartCapacityCheck, SaveCard } from '@nest-mark/core/api';

export const StationActions = createActionGroup({
  source: 'Station',
  events: {
    'Settings Asked': emptyProps(),
    'Settings Came': props<{ settings: StationSettings }>(),
    'Settings Changed': props<{ settings: StationSettings }>(),
    'Records Came': props<{ records: CardRecord[] }>(),
    'Record Changed': props<{ key: string; change: SaveCard }>(),
    'Record Came': props<{ record: CardRecord }>(),
    'Capacity Wanted': props<{ order: StartCapacityCheck }>(),
    'Capacity Begun': props<{ record: CardRecord }>(),
    'Capacity Refused': props<{ problem: Problem }>(),
    'Capacity Check Stopped': props<{ key: string }>(),
    'Release Wanted': props<{ slotId: string }>(),
    'Eject Wanted': props<{ slotId: string }>(),
    'Capacity Left': emptyProps(),
  },
});

export interface StationState {
  settings: StationSettings | null;
  records: CardRecord[] | null;
  sending: boolean;
  problem: Problem | null;
  /** Rises with each capacity check that has begun, so that a dialog knows it may close. */
  checksBegun: number;
}

const withRecord = (records: CardRecord[] | null, record: CardRecord): CardRecord[] =>
  (records ?? []).some(({ key }) => key === record.key)
    ? (records ?? []).map((other) => (other.key === record.key ? record : other))
    : [record, ...(records ?? [])];

export const stationFeature = createFeature({
  name: 'station',
  reducer: createReducer<StationState>(
    { settings: null, records: null, sending: false, problem: null, checksBegun: 0 },
    on(StationActions.settingsCame, StationActions.settingsChanged, (state, { settings }): StationState => ({
      ...state,
      settings,
    })),
    on(StationActions.recordsCame, (state, { records }): StationState => ({ ...state, records })),
    on(StationActions.recordCame, (state, { record }): StationState => ({
      ...state,
      records: withRecord(state.records, record),
    })),
    on(StationActions.capacityWanted, (state): StationState => ({ ...state, sending: true, problem: null })),
    on(StationActions.capacityBegun, (state, { record }): StationState => ({
      ...state,
      sending: false,
      checksBegun: state.checksBegun + 1,
      records: withRecord(state.records, record),
    })),
    on(StationActions.capacityRefused, (state, { problem }): StationState => ({
      ...state,
      sending: false,
      problem,
    })),
    on(StationActions.capacityLeft, (state): StationState => ({ ...state, problem: null })),
  ),
});

/** Whether the practice bench is out at this station. */
export const selectPractice = createSelector(
  stationFeature.selectSettings,
  (settings) => settings?.practice === true,
);
