import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { BatchActions } from './batch.actions';

/** Which devices the person means, on every page alike. */
export const SelectionActions = createActionGroup({
  source: 'Selection',
  events: {
    Set: props<{ ids: string[] }>(),
    Toggled: props<{ id: string }>(),
    Cleared: emptyProps(),
  },
});

export interface SelectionState {
  ids: string[];
}

export const selectionFeature = createFeature({
  name: 'selection',
  reducer: createReducer<SelectionState>(
    { ids: [] },
    on(SelectionActions.set, (_state, { ids }): SelectionState => ({ ids: [...new Set(ids)] })),
    on(SelectionActions.toggled, ({ ids }, { id }): SelectionState => ({
      ids: ids.includes(id) ? ids.filter((other) => other !== id) : [...ids, id],
    })),
    on(SelectionActions.cleared, BatchActions.opened, (): SelectionState => ({ ids: [] })),
  ),
});
