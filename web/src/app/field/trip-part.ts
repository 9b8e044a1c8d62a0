import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { networkTitle } from '@nest-mark/core';
import type { FieldPlan } from '@nest-mark/core/api';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { bounded } from '../plan/numeric';
import { batchFeature } from '../state/batch.reducer';
import { networksFeature } from '../state/networks.reducer';
import { selectSelectedDevices } from '../state/selectors';
import { FieldActions } from './field.reducer';

/** Which network serves there, when, and who goes. */
@Component({
  selector: 'nm-trip-part',
  imports: [FormsModule, InputText, RouterLink, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  styleUrls: ['../ui/sheets.css', './field.css'],
  template: `
    <section class="sheet stack" aria-labelledby="trip-title">
      <h2 id="trip-title">The trip</h2>
      <div class="pair">
        <div class="field">
          <label for="trip-network" id="trip-network-label">Network that serves there</label>
          <p-select
            inputId="trip-network"
            ariaLabelledBy="trip-network-label"
            [options]="networks()"
            optionLabel="title"
            optionValue="id"
            placeholder="choose"
            [ngModel]="plan().networkId"
            (ngModelChange)="set({ networkId: $event })"
          />
        </div>
        <div class="field">
          <label for="trip-day">Day, if known</label>
          <input
            pInputText
            type="date"
            id="trip-day"
            [ngModel]="plan().day"
            (ngModelChange)="set({ day: $event ?? '' })"
          />
        </div>
      </div>
      <div class="row">
        <span>
          <strong>{{ who() }}</strong>
          {{ who() === 1 ? 'board goes' : 'boards go' }}
        </span>
        @if (plan().deviceIds.length > 0) {
          <button type="button" class="quiet" (click)="set({ deviceIds: [] })">All of the batch</button>
        } @else if (selected().length > 0) {
          <button type="button" class="quiet" (click)="onlySelected()">
            Only the {{ selected().length }} selected
          </button>
        }
        <label class="check">
          Spare cards
          <input
            type="number"
            min="0"
            max="1000"
            [ngModel]="plan().spareCards"
            (ngModelChange)="number('spareCards', $event, 0, 1000)"
          />
        </label>
        <label class="check">
          A try ends after
          <input
            type="number"
            min="1"
            max="120"
            [ngModel]="plan().minutes"
            (ngModelChange)="number('minutes', $event, 1, 120)"
          />
          minutes
        </label>
      </div>
      <p class="small soft">
        A phone’s hotspot does the router’s work for boards and laptop. It goes onto the
        <a routerLink="../networks">shelf</a> like any network: its key, its subnet, and how many clients it
        takes, this computer among them.
      </p>
    </section>
  `,
})
export class TripPart {
  private readonly store = inject(Store);
  readonly plan = input.required<FieldPlan>();
  private readonly shelf = this.store.selectSignal(networksFeature.selectList);
  private readonly batch = this.store.selectSignal(batchFeature.selectPlan);
  protected readonly selected = this.store.selectSignal(selectSelectedDevices);
  protected readonly networks = computed(() =>
    (this.shelf() ?? []).map((network) => ({ id: network.id, title: networkTitle(network) })),
  );
  protected readonly who = computed(() => {
    const devices = this.batch()?.devices ?? [];
    const chosen = new Set(this.plan().deviceIds);
    return chosen.size === 0 ? devices.length : devices.filter(({ id }) => chosen.has(id)).length;
  });

  protected set(change: Partial<FieldPlan>): void {
    this.store.dispatch(FieldActions.edited({ plan: { ...this.plan(), ...change } }));
  }

  protected number(name: 'spareCards' | 'minutes', value: number, least: number, most: number): void {
    const number = bounded(Math.floor(value), least, most);
    if (number !== null) this.set({ [name]: number });
  }

  protected onlySelected(): void {
    this.set({ deviceIds: this.selected().map(({ device }) => device.id) });
  }
}
