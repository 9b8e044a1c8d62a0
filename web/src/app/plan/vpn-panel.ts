import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { searchSubnet, someVpnNetwork, type VpnPlan } from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { networksFeature } from '../state/networks.reducer';
import { selectPlanView } from '../state/selectors';
import { Field } from '../ui/field';
import { random } from '../ui/random';
import { PlanEditor } from './plan-editor';

/** Whether and how boards are reached from outside of their network. */
@Component({
  selector: 'nm-vpn-panel',
  imports: [Field, FormsModule, InputText, RouterLink, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './vpn-panel.html',
  styleUrls: ['./panel.css', './network-panel.css'],
  styles: `
    :host {
      margin-top: 0.875rem;
    }
  `,
})
export class VpnPanel {
  private readonly store = inject(Store);
  private readonly editor = inject(PlanEditor);
  private readonly shelf = this.store.selectSignal(networksFeature.selectFacts);
  private readonly view = this.store.selectSignal(selectPlanView);
  protected readonly vpn = computed(() => this.editor.plan().vpn);
  protected readonly ways: { id: VpnPlan['by']; label: string }[] = [
    { id: 'bring-up', label: 'When they are brought up; nothing of it is on the cards' },
    { id: 'cards', label: 'On their cards, with their own keys' },
  ];

  /** The range is proposed with the first wish for it, and left as it is from then on. */
  protected want(wanted: boolean): void {
    const plan = this.editor.plan();
    const taken = [
      searchSubnet(plan, this.shelf()),
      ...this.shelf().map(({ subnet }) => subnet),
      ...(this.view()?.surroundings.workstation ?? []).map(
        ({ address, prefix }) => `${address}/${String(prefix)}`,
      ),
    ];
    const network = plan.vpn.network || (wanted ? someVpnNetwork(random, taken) : '');
    this.set({ wanted, network }, 'wanted');
  }

  protected number(change: Partial<VpnPlan>): void {
    if (Object.values(change).every((value) => Number.isInteger(value) && Number(value) >= 1))
      this.set(change, 'port');
  }

  protected set(change: Partial<VpnPlan>, field: string): void {
    this.editor.edit((plan) => ({ ...plan, vpn: { ...plan.vpn, ...change } }), `vpn.${field}`);
  }
}
