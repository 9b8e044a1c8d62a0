import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { Batch, BatchSummary, Plan, Problem, SecretKind } from '@nest-mark/core';

/** What happens to the list of batches and to the plan that is open. */
export const BatchActions = createActionGroup({
  source: 'Batch',
  events: {
    'List Asked': emptyProps(),
    'List Came': props<{ list: BatchSummary[] }>(),
    Opened: props<{ id: string }>(),
    Came: props<{ batch: Batch }>(),
    'Not Opened': props<{ problem: Problem }>(),
    /** `field` joins keystrokes in one field into one step of undo. */
    Edited: props<{ plan: Plan; field: string }>(),
    'Secret Typed': props<{ kind: SecretKind; value: string }>(),
    Undone: emptyProps(),
    Redone: emptyProps(),
    'Save Due': emptyProps(),
    'Save Begun': emptyProps(),
    Saved: props<{ batch: Batch; plan: Plan; secrets: Partial<Record<SecretKind, string>> }>(),
    'Save Failed': props<{ problem: Problem }>(),
    'Theirs Taken': emptyProps(),
    'Mine Kept': emptyProps(),
    /** The plan as the person has it, now on top of what somebody else saved. */
    Rebased: props<{ batch: Batch }>(),
    /** Where the person wants to begin, as a path below the new batch. */
    'New Wanted': props<{ name: string; begin?: string }>(),
    Made: props<{ batch: Batch }>(),
  },
});
