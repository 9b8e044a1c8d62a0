import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { LogEntry, Problem } from '@nest-mark/core/api';
import { BatchActions } from '../state/batch.actions';

/** What the log is narrowed to; an empty text narrows nothing. */
export interface LogFilter {
  scope: 'batch' | 'all';
  deviceId: string;
  cardSerial: string;
}

export const LogActions = createActionGroup({
  source: 'Log',
  events: {
    Entered: emptyProps(),
    Narrowed: props<{ change: Partial<LogFilter> }>(),
    'Newest Came': props<{ question: number; entries: LogEntry[] }>(),
    'Older Wanted': emptyProps(),
    'Older Came': props<{ question: number; entries: LogEntry[] }>(),
    Failed: props<{ question: number; problem: Problem }>(),
  },
});

/** Entries that are read at once. */
export const logPage = 100;

export interface LogState {
  filter: LogFilter;
  /** Grows whenever something else is asked for, so that an answer to what was asked before is known as such. */
  question: number;
  entries: LogEntry[] | null;
  /** Whether everything older has been read. */
  ended: boolean;
  problem: Problem | null;
}

const initial: LogState = {
  filter: { scope: 'batch', deviceId: '', cardSerial: '' },
  question: 0,
  entries: null,
  ended: false,
  problem: null,
};

export const logFeature = createFeature({
  name: 'log',
  reducer: createReducer(
    initial,
    on(LogActions.narrowed, (state, { change }): LogState => ({
      ...initial,
      filter: { ...state.filter, ...change },
      question: state.question + 1,
    })),
    on(LogActions.newestCame, (state, { question, entries }): LogState => {
      if (question !== state.question) return state;
      // Older pages that were read stay when they join on to the newest one.
      const oldest = entries.at(-1);
      const known = state.entries ?? [];
      const joins = oldest !== undefined && known.some(({ id }) => id === oldest.id);
      const older = joins ? known.filter(({ id }) => BigInt(id) < BigInt(oldest.id)) : [];
      return {
        ...state,
        entries: [...entries, ...older],
        ended: joins ? state.ended : entries.length < logPage,
        problem: null,
      };
    }),
    on(LogActions.olderCame, (state, { question, entries }): LogState =>
      question === state.question
        ? { ...state, entries: [...(state.entries ?? []), ...entries], ended: entries.length < logPage }
        : state,
    ),
    on(LogActions.failed, (state, { question, problem }): LogState =>
      question === state.question ? { ...state, problem } : state,
    ),
    on(BatchActions.opened, (state): LogState => ({ ...initial, question: state.question + 1 })),
  ),
});
