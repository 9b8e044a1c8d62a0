import { createActionGroup, createFeature, createReducer, on, props } from '@ngrx/store';
import type { Problem } from '@nest-mark/core/api';
import { BatchActions } from '../state/batch.actions';

export type HandOverFile = 'known_hosts' | 'ssh_config' | 'batch.csv';

export const HandOverActions = createActionGroup({
  source: 'Hand over',
  events: {
    'Look Wanted': props<{ file: HandOverFile }>(),
    'Text Came': props<{ file: HandOverFile; text: string }>(),
    'Text Failed': props<{ problem: Problem }>(),
  },
});

export interface HandOverState {
  shown: { file: HandOverFile; text: string } | null;
  problem: Problem | null;
}

export const handOverFeature = createFeature({
  name: 'handOver',
  reducer: createReducer<HandOverState>(
    { shown: null, problem: null },
    on(HandOverActions.textCame, (_state, shown): HandOverState => ({
      shown: { file: shown.file, text: shown.text },
      problem: null,
    })),
    on(HandOverActions.textFailed, (_state, { problem }): HandOverState => ({ shown: null, problem })),
    on(BatchActions.opened, (): HandOverState => ({ shown: null, problem: null })),
  ),
});
