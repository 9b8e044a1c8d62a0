import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { BenchSettings, CardRecord, Problem, ProveCard, SaveCard } from '@nest-mark/core/api';

export const BenchActions = createActionGroup({
  source: 'Bench',
  events: {
    'Settings Came': props<{ settings: BenchSettings }>(),
    'Settings Changed': props<{ settings: BenchSettings }>(),
    'Records Came': props<{ records: CardRecord[] }>(),
    'Record Changed': props<{ key: string; change: SaveCard }>(),
    'Record Came': props<{ record: CardRecord }>(),
    'Proof Wanted': props<{ order: ProveCard }>(),
    'Proof Begun': props<{ record: CardRecord }>(),
    'Proof Refused': props<{ problem: Problem }>(),
    'Proof Stopped': props<{ key: string }>(),
    'Release Wanted': props<{ slotId: string }>(),
    'Eject Wanted': props<{ slotId: string }>(),
    'Proof Left': emptyProps(),
  },
});

export interface BenchState {
  settings: BenchSettings | null;
  records: CardRecord[] | null;
  sending: boolean;
  problem: Problem | null;
  /** Rises with each proof that has begun, so that a dialog knows it may close. */
  proofs: number;
}

const withRecord = (records: CardRecord[] | null, record: CardRecord): CardRecord[] =>
  (records ?? []).some(({ key }) => key === record.key)
    ? (records ?? []).map((other) => (other.key === record.key ? record : other))
    : [record, ...(records ?? [])];

export const benchFeature = createFeature({
  name: 'bench',
  reducer: createReducer<BenchState>(
    { settings: null, records: null, sending: false, problem: null, proofs: 0 },
    on(BenchActions.settingsCame, BenchActions.settingsChanged, (state, { settings }): BenchState => ({
      ...state,
      settings,
    })),
    on(BenchActions.recordsCame, (state, { records }): BenchState => ({ ...state, records })),
    on(BenchActions.recordCame, (state, { record }): BenchState => ({
      ...state,
      records: withRecord(state.records, record),
    })),
    on(BenchActions.proofWanted, (state): BenchState => ({ ...state, sending: true, problem: null })),
    on(BenchActions.proofBegun, (state, { record }): BenchState => ({
      ...state,
      sending: false,
      proofs: state.proofs + 1,
      records: withRecord(state.records, record),
    })),
    on(BenchActions.proofRefused, (state, { problem }): BenchState => ({
      ...state,
      sending: false,
      problem,
    })),
    on(BenchActions.proofLeft, (state): BenchState => ({ ...state, problem: null })),
  ),
});
