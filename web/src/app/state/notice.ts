import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { Problem } from '@nest-mark/core/api';
import { isAway } from '../api/api-problem';

/** What has to be told wherever the person is. */
interface Notice {
  kind: 'failed' | 'done';
  text: string;
  /** Whether it tells that the server or its database is away; it goes when they are back. */
  away: boolean;
}

export interface NoticeState {
  notice: Notice | null;
}

export const NoticeActions = createActionGroup({
  source: 'Notice',
  events: {
    Failed: props<{ problem: Problem }>(),
    Done: props<{ text: string }>(),
    Dismissed: emptyProps(),
  },
});

export const noticeFeature = createFeature({
  name: 'notice',
  reducer: createReducer<NoticeState>(
    { notice: null },
    on(NoticeActions.failed, (_state, { problem }): NoticeState => ({
      notice: { kind: 'failed' as const, text: problem.detail, away: isAway(problem) },
    })),
    on(NoticeActions.done, (_state, { text }): NoticeState => ({
      notice: { kind: 'done' as const, text, away: false },
    })),
    on(NoticeActions.dismissed, (): NoticeState => ({ notice: null })),
  ),
});
