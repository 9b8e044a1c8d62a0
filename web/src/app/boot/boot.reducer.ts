import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { Answer, CaseView, CauseId, CheckId, ListeningSource, Problem } from '@nest-mark/core/api';
import { BatchActions } from '../state/batch.actions';

export const BootActions = createActionGroup({
  source: 'Boot',
  events: {
    'Search Wanted': emptyProps(),
    'Search Begun': emptyProps(),
    'Search Refused': props<{ problem: Problem }>(),
    'Search Left': props<{ searchId: string }>(),
    'Listen Wanted': props<{ sources: ListeningSource[]; places: string[]; listPath: string }>(),
    'Listen Refused': props<{ problem: Problem }>(),
    'Listen Left': props<{ watchId: string }>(),
    'Clues Given': props<{ text: string; source: 'table' | 'hand' }>(),
    'Remember Wanted': emptyProps(),
    'Remembered Left': emptyProps(),
    'Board Named': props<{ deviceId: string; hardwareAddress: string | null }>(),
    'Heard Refused': props<{ problem: Problem }>(),
    'Cases Wanted': emptyProps(),
    /** What was said of one may have changed what is asked. */
    'Cases Changed': emptyProps(),
    /** Nobody looks at them any more. */
    'Cases Left': emptyProps(),
    'Cases Came': props<{ cases: CaseView[] }>(),
    'Case Answered': props<{ deviceIds: string[]; check: CheckId; answer: Answer }>(),
    'Case Unsaid': props<{ deviceIds: string[]; check: CheckId }>(),
    'Case Mended': props<{ deviceIds: string[]; cause: CauseId; inVain: boolean }>(),
    'Case Refused': props<{ problem: Problem }>(),
    'Repeat Set': props<{ repeat: boolean }>(),
  },
});

export interface BootState {
  /** Whether to search again until everybody is proved. */
  repeat: boolean;
  problem: Problem | null;
  listenProblem: Problem | null;
  /** About who was remembered or named. */
  heardProblem: Problem | null;
  /** Boards that do not appear, as the server judges them; null until it was asked. */
  cases: readonly CaseView[] | null;
  /** Whether somebody looks at them. */
  asking: boolean;
  caseProblem: Problem | null;
}

const initial: BootState = {
  repeat: false,
  problem: null,
  listenProblem: null,
  heardProblem: null,
  cases: null,
  asking: false,
  caseProblem: null,
};

export const bootFeature = createFeature({
  name: 'boot',
  reducer: createReducer<BootState>(
    initial,
    on(BootActions.searchWanted, (state): BootState => ({ ...state, problem: null })),
    on(BootActions.searchRefused, (state, { problem }): BootState => ({ ...state, repeat: false, problem })),
    on(BootActions.listenWanted, BootActions.cluesGiven, (state): BootState => ({
      ...state,
      listenProblem: null,
    })),
    on(BootActions.listenRefused, (state, { problem }): BootState => ({ ...state, listenProblem: problem })),
    on(
      BootActions.rememberWanted,
      BootActions.rememberedLeft,
      BootActions.boardNamed,
      (state): BootState => ({ ...state, heardProblem: null }),
    ),
    on(BootActions.heardRefused, (state, { problem }): BootState => ({ ...state, heardProblem: problem })),
    on(BootActions.casesCame, (state, { cases }): BootState => ({ ...state, cases })),
    on(BootActions.casesWanted, (state): BootState => ({ ...state, asking: true })),
    on(BootActions.casesLeft, (state): BootState => ({
      ...state,
      asking: false,
      cases: null,
      caseProblem: null,
    })),
    on(BootActions.caseAnswered, BootActions.caseUnsaid, BootActions.caseMended, (state): BootState => ({
      ...state,
      caseProblem: null,
    })),
    on(BootActions.caseRefused, (state, { problem }): BootState => ({ ...state, caseProblem: problem })),
    on(BootActions.searchLeft, (state): BootState => ({ ...state, repeat: false })),
    on(BootActions.repeatSet, (state, { repeat }): BootState => ({ ...state, repeat })),
    on(BatchActions.opened, (): BootState => initial),
  ),
});
