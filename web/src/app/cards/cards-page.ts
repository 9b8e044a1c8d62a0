import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Button } from 'primeng/button';
import { batchFeature } from '../state/batch.reducer';
import { selectStops } from '../state/selectors';
import { ArmDialog } from './arm-dialog';
import { CardsActions, cardsFeature } from './cards.reducer';
import { CapacityDialog } from './capacity-dialog';
import { RateChart } from './rate-chart';
import { RoundsPanel } from './rounds-panel';
import { SlotPanel } from './slot-panel';
import { ExportPanel } from './export-panel';
import { StepsPanel } from './steps-panel';
import { selectOpenRounds, selectSlots, selectToArm, type SlotView } from './slots';

/** Writing: the reader's places, the next round, what each card is doing. */
@Component({
  selector: 'nm-cards-page',
  imports: [
    ArmDialog,
    RouterLink,
    Button,
    ExportPanel,
    CapacityDialog,
    RateChart,
    RoundsPanel,
    SlotPanel,
    StepsPanel,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './cards-page.html',
  styleUrl: './cards-page.css',
})
export class CardsPage {
  private readonly store = inject(Store);
  protected readonly slots = this.store.selectSignal(selectSlots);
  protected readonly rounds = this.store.selectSignal(selectOpenRounds);
  /** The slot whose card's capacity is about to be checked. */
  protected readonly checking = signal<SlotView | null>(null);
  protected readonly proposal = this.store.selectSignal(cardsFeature.selectProposal);
  protected readonly arming = this.store.selectSignal(cardsFeature.selectArming);
  protected readonly rates = this.store.selectSignal(cardsFeature.selectRates);
  private readonly toArm = this.store.selectSignal(selectToArm);
  private readonly stops = this.store.selectSignal(selectStops);
  private readonly save = this.store.selectSignal(batchFeature.selectSave);

  protected readonly count = computed(() => this.toArm().length);
  /** What keeps the round from being armed, in words. */
  protected readonly held = computed(() => {
    if (this.stops().length > 0)
      return 'The plan has findings that stop writing. Mend them first; they stand at the right.';
    const [blocker] = this.proposal()?.blockers ?? [];
    if (blocker !== undefined) return blocker;
    return this.save() === 'saved' ? '' : 'The plan is not saved yet.';
  });
  protected readonly waiting = computed(() => this.proposal()?.waiting ?? 0);

  constructor() {
    this.store.dispatch(CardsActions.entered());
  }

  protected arm(): void {
    this.store.dispatch(CardsActions.armingAsked());
  }

  protected pause(roundId: string, paused: boolean): void {
    this.store.dispatch(CardsActions.pauseWanted({ roundId, paused }));
  }

  protected cancel(roundId: string): void {
    this.store.dispatch(CardsActions.cancelWanted({ roundId }));
  }
}
