import { inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import { quickFix, type Finding, type QuickFix } from '@nest-mark/core';
import { BatchActions } from './batch.actions';
import { batchFeature } from './batch.reducer';
import { NetworksActions, networksFeature } from './networks.reducer';

/** What one press would mend, and doing it: beside a finding in the column and below its field alike. */
@Injectable({ providedIn: 'root' })
export class MendFinding {
  private readonly store = inject(Store);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  private readonly networks = this.store.selectSignal(networksFeature.selectFacts);

  /** Null where a person has to decide. */
  fixOf(finding: Finding): QuickFix | null {
    const plan = this.plan();
    return plan && quickFix(plan, finding, this.networks());
  }

  mend(fix: QuickFix): void {
    this.store.dispatch(
      'plan' in fix
        ? BatchActions.edited({ plan: fix.plan, field: '' })
        : NetworksActions.edited({ id: fix.networkId, change: fix.network }),
    );
  }
}
