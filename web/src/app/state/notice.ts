import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import type { Problem } from '@nest-mark/core/api';

/** What has to be told wherever the person is. */
export interface Notice {
  kind: 'failed' | 'done';
  text: string;
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
  reducer: createReducer<{ notice: Notice | null }>(
    { notice: null },
    on(NoticeActions.failed, (_state, { problem }) => ({
      notice: { kind: 'failed' as const, text: problem.detail },
    })),
    on(NoticeActions.done, (_state, { text }) => ({ notice: { kind: 'done' as const, text } })),
    on(NoticeActions.dismissed, () => ({ notice: null })),
  ),
});
