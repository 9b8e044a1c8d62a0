import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { shownLevel, verdictTitles } from '@nest-mark/core';
import type { RadioAdapter } from '@nest-mark/core/in-air';
import { Button } from 'primeng/button';
import { networksFeature } from '../state/networks.reducer';
import { moment } from '../ui/moment';
import { AirActions, airFeature } from './air.reducer';

/** Whether a network's key is right, found out by joining it for a moment. */
@Component({
  selector: 'nm-key-trial',
  imports: [Button],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (adapter(); as adapter) {
      <div class="row">
        <p-button
          [label]="trying() ? 'Trying…' : 'Try the key'"
          [loading]="trying()"
          [disabled]="adapter.mayTry !== '' || busy()"
          severity="secondary"
          [outlined]="true"
          (onClick)="attempt(adapter)"
        />
        <p class="grow" role="status">
          @if (problem(); as problem) {
            <span class="sign hand"></span>{{ problem.detail }}
          } @else if (trying()) {
            Joining “{{ name() }}” for a moment, with {{ adapter.name }}. A wrong key takes longer than a
            right one.
          } @else if (adapter.mayTry !== '') {
            {{ adapter.mayTry }}
          } @else if (tried(); as tried) {
            @if (tried.current) {
              <span class="sign" [class.well]="tried.well" [class.hand]="!tried.well"></span
              ><b>{{ tried.title }}.</b> {{ tried.message }}
              <span class="small soft told">{{ tried.when }}</span>
            } @else {
              <span class="soft">Not tried as it is now. Before its last change: {{ tried.title }}.</span>
            }
          } @else {
            <span class="soft">Not tried yet. No check of a card can see a wrong key; this can.</span>
          }
        </p>
      </div>
      @if (asking()) {
        <div class="notice hand row" role="alert">
          <span class="grow">{{ adapter.asks }}</span>
          <button type="button" class="quiet" (click)="attempt(adapter, true)">Leave it and try</button>
          <button type="button" class="quiet" (click)="asking.set(false)">Stay on it</button>
        </div>
      }
    }
  `,
  styleUrl: '../ui/sheets.css',
})
export class KeyTrial {
  private readonly store = inject(Store);
  private readonly networks = this.store.selectSignal(networksFeature.selectFacts);
  private readonly refused = this.store.selectSignal(airFeature.selectRefused);
  private readonly at = this.store.selectSignal(airFeature.selectTrying);
  readonly networkId = input.required<string>();
  /** Its name on the air, for a sentence. */
  readonly name = input.required<string>();
  protected readonly adapter = this.store.selectSignal(airFeature.selectAdapter);
  protected readonly asking = signal(false);
  protected readonly trying = computed(() => this.at() === this.networkId());
  protected readonly busy = computed(() => this.at() !== null);
  protected readonly problem = computed(() => this.refused()[this.networkId()] ?? null);
  protected readonly tried = computed(() => {
    const tried = this.networks().find(({ id }) => id === this.networkId())?.tried;
    if (!tried) return null;
    const signal = tried.signal === null ? '' : `, ${shownLevel(tried.signal)}`;
    return {
      ...tried,
      title: verdictTitles[tried.verdict],
      well: tried.verdict === 'right',
      when: `Tried at ${moment(tried.at)} from the bench “${tried.station}” with ${tried.adapter}${signal}; it took ${String(tried.seconds)} s.`,
    };
  });

  constructor() {
    this.store.dispatch(AirActions.viewAsked());
  }

  /** Tries it; where that needs somebody to agree, they are asked first. */
  protected attempt({ name, asks }: RadioAdapter, agreed = false): void {
    this.asking.set(asks !== '' && !agreed);
    if (!this.asking())
      this.store.dispatch(AirActions.tryWanted({ id: this.networkId(), adapter: name, agreed }));
  }
}
