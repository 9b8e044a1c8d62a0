import { computed, inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import { emptyPlan, type Plan } from '@nest-mark/core';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';

const nothing = emptyPlan('');

/** The plan that is open, and edits to it; each edit is one step of undo, keystrokes in one field together. */
@Injectable({ providedIn: 'root' })
export class PlanEditor {
  private readonly store = inject(Store);
  private readonly stored = this.store.selectSignal(batchFeature.selectPlan);
  readonly plan = computed(() => this.stored() ?? nothing);

  /** Changes some of the plan's own fields. */
  set(change: Partial<Plan>, field: string): void {
    this.edit((plan) => ({ ...plan, ...change }), field);
  }

  edit(change: (plan: Plan) => Plan, field = ''): void {
    const plan = this.stored();
    if (plan) this.store.dispatch(BatchActions.edited({ plan: change(plan), field }));
  }
}
