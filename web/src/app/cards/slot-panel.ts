import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { bothSizes, cardAdvice, clock } from '@nest-mark/core';
import { Select } from 'primeng/select';
import { StationActions } from '../state/station.reducer';
import { selectDevices } from '../state/selectors';
import { sameChoices } from '../ui/choices';
import { CardsActions } from './cards.reducer';
import { printLabel } from './print-label';
import { recordWords, type SlotView } from './slots';

const leaveOut = 'leave it out';

/** One place of the reader, drawn as a place: what is in it, what becomes of it, whether it can be pulled. */
@Component({
  selector: 'nm-slot-panel',
  imports: [FormsModule, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './slot-panel.html',
  styleUrl: './slot-panel.css',
})
export class SlotPanel {
  private readonly store = inject(Store);
  private readonly devices = this.store.selectSignal(selectDevices);
  readonly slot = input.required<SlotView>();
  readonly check = output();

  protected readonly medium = computed(() => this.slot().proposed.medium);
  protected readonly size = computed(() => bothSizes(this.medium()?.identity.size ?? 0));
  protected readonly percent = computed(() => Math.floor((this.slot().writing?.share ?? 0) * 100));
  protected readonly pace = computed(() => {
    const card = this.slot().writing;
    if (!card || card.rate === 0 || this.slot().held) return '';
    const left = card.secondsLeft === null ? '' : `, ${clock(card.secondsLeft)} left`;
    return `${(card.rate / 1e6).toFixed(1)} MB/s${left}`;
  });
  protected readonly options = computed(
    () => [
      { id: leaveOut, label: 'leave this card out' },
      ...this.devices().map(({ id, nest, hostName }) => ({ id, label: `${nest} · ${hostName}` })),
    ],
    { equal: sameChoices },
  );
  protected readonly chosen = computed(() => this.slot().device?.id ?? leaveOut);
  protected readonly history = computed(() => recordWords(this.slot().record));
  protected readonly advice = computed(() => {
    const { record } = this.slot();
    return record && !record.retired ? cardAdvice(record) : null;
  });
  protected readonly capacity = computed(() => {
    const capacity = this.slot().record?.capacity;
    if (!capacity) return null;
    const running = capacity.state === 'running';
    return {
      running,
      // A card that lies or is bad says so in the advice already.
      text: running
        ? `${capacity.text} ${String(Math.floor(capacity.share * 100))} %`
        : capacity.state === 'lies' || capacity.state === 'bad'
          ? ''
          : `Capacity: ${capacity.text}`,
      hand: capacity.state !== 'good' && !running,
    };
  });
  /** Cards of the practice bench need no power to be cut. */
  protected readonly ejectable = computed(() => this.slot().proposed.slotId.startsWith('reader-'));

  protected assign(id: string): void {
    this.store.dispatch(
      CardsActions.assigned({ slotId: this.slot().proposed.slotId, deviceId: id === leaveOut ? null : id }),
    );
  }

  protected again(): void {
    const { endedIn, proposed } = this.slot();
    if (endedIn)
      this.store.dispatch(CardsActions.resumingAsked({ roundId: endedIn.roundId, only: proposed.slotId }));
  }

  protected release(): void {
    this.store.dispatch(StationActions.releaseWanted({ slotId: this.slot().proposed.slotId }));
  }

  protected eject(): void {
    this.store.dispatch(StationActions.ejectWanted({ slotId: this.slot().proposed.slotId }));
  }

  protected stopCheck(): void {
    const { record } = this.slot();
    if (record) this.store.dispatch(StationActions.capacityCheckStopped({ key: record.key }));
  }

  protected carrierDone(): void {
    const { endedFor } = this.slot();
    if (endedFor) this.store.dispatch(CardsActions.carrierDone({ deviceId: endedFor.id }));
  }

  protected label(): void {
    const { endedFor } = this.slot();
    if (endedFor) printLabel(endedFor);
  }
}
