import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { networkTitle, settingsOf } from '@nest-mark/core';
import type { MovePlan } from '@nest-mark/core/api';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { bounded } from '../plan/numeric';
import { batchFeature } from '../state/batch.reducer';
import { boardsFeature } from '../state/boards.reducer';
import { networksFeature } from '../state/networks.reducer';
import { MoveActions } from './move.reducer';

const reaches: { id: MovePlan['bench']; title: string }[] = [
  { id: 'both', title: 'both networks now' },
  { id: 'old', title: 'the old network only' },
  { id: 'new', title: 'the new network only' },
];

/** From where to where, when, and with what at hand. */
@Component({
  selector: 'nm-move-plan',
  imports: [FormsModule, InputText, RouterLink, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './move-plan.html',
  styleUrls: ['../ui/sheets.css', './move.css'],
})
export class MovePlanPanel {
  private readonly store = inject(Store);
  readonly plan = input.required<MovePlan>();
  private readonly shelf = this.store.selectSignal(networksFeature.selectList);
  private readonly batch = this.store.selectSignal(batchFeature.selectPlan);
  private readonly profiles = this.store.selectSignal(boardsFeature.selectList);
  protected readonly reaches = reaches;
  protected readonly networks = computed(() =>
    (this.shelf() ?? []).map((network) => ({ id: network.id, title: networkTitle(network) })),
  );
  protected readonly orNone = computed(() => [{ id: null, title: 'none' }, ...this.networks()]);
  /** Kinds of board in the batch, of which a spare may be there. */
  protected readonly kinds = computed(() => {
    const plan = this.batch();
    if (!plan) return [];
    const ids = new Set(plan.devices.map((device) => settingsOf(plan, device).boardProfileId));
    return this.profiles().flatMap(({ id, title }) =>
      ids.has(id) ? [{ id, title, there: this.plan().hands.spares.includes(id) }] : [],
    );
  });

  protected set(change: Partial<MovePlan>): void {
    this.store.dispatch(MoveActions.edited({ plan: { ...this.plan(), ...change } }));
  }

  protected number(name: 'returnMinutes' | 'groupSize', value: number, most: number): void {
    const number = bounded(Math.floor(value), 1, most);
    if (number !== null) this.set({ [name]: number });
  }

  protected hand(name: 'cable' | 'wiredAdapter' | 'screen' | 'adapters', there: boolean): void {
    this.set({ hands: { ...this.plan().hands, [name]: there } });
  }

  protected spare(id: string, there: boolean): void {
    const { hands } = this.plan();
    const others = hands.spares.filter((one) => one !== id);
    this.set({ hands: { ...hands, spares: there ? [...others, id] : others } });
  }
}
