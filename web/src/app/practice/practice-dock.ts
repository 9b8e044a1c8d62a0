import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { batchFeature } from '../state/batch.reducer';
import { selectSelectedDevices } from '../state/selectors';
import { faultKinds, faultOf } from './card-faults';
import { PracticeHands } from './practice-hands';
import { SystemFaultChoice } from './system-fault-choice';

/** Boards of selected devices that get a button each. */
const MOST_BOARDS = 6;

/** The hands of the practice bench below any stage: only what is useful there. */
@Component({
  selector: 'nm-practice-dock',
  imports: [RouterLink, SystemFaultChoice],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './practice-dock.html',
  styleUrl: './practice-dock.css',
})
export class PracticeDock {
  private readonly store = inject(Store);
  protected readonly hands = inject(PracticeHands);
  private readonly selected = this.store.selectSignal(selectSelectedDevices);
  protected readonly batchId = this.store.selectSignal(batchFeature.selectId);
  /** The stage at which it is open. */
  readonly stage = input.required<string>();
  readonly closed = output();
  protected readonly view = this.hands.view;
  protected readonly faultKinds = faultKinds;
  protected readonly cards = computed(() => this.stage() !== 'boot' && this.stage() !== 'hand-over');
  protected readonly boards = computed(() => this.stage() !== 'cards');
  protected readonly slots = computed(() => {
    const view = this.view();
    return (view?.slots ?? []).map((slot) => {
      const card = view?.cards.find(({ id }) => id === slot.cardId);
      return { ...slot, card: card ? { ...card, fault: faultOf(card.faults) } : null };
    });
  });
  /** The boards of the selected devices: those are the ones that a person is at. */
  protected readonly chosen = computed(() => {
    const nests = new Set(this.selected().map(({ device }) => device.nest));
    return (this.view()?.boards ?? []).filter(({ nest }) => nests.has(nest)).slice(0, MOST_BOARDS);
  });

  constructor() {
    this.hands.enter();
  }
}
