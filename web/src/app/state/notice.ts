import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { Problem } from '@nest-mark/core/api';

/** What has to be told wherever the person is. */
export interface Notice {
  kind: 'failed' | 'done';
  text: string;
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
      notice: { kind: 'failed' as const, text: problem.detail },
    })),
    on(NoticeActions.done, (_state, { text }): NoticeState => ({ notice: { kind: 'done' as const, text } })),
    on(NoticeActions.dismissed, (): NoticeState => ({ notice: null })),
  ),
});
