import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { bothSizes, clock } from '@nest-mark/core';
import { Select } from 'primeng/select';
import { selectDevices } from '../state/selectors';
import { CardsActions } from './cards.reducer';
import type { SlotView } from './slots';

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

  protected readonly medium = computed(() => this.slot().proposed.medium);
  protected readonly size = computed(() => bothSizes(this.medium()?.identity.size ?? 0));
  protected readonly percent = computed(() => Math.floor((this.slot().writing?.share ?? 0) * 100));
  protected readonly pace = computed(() => {
    const card = this.slot().writing;
    if (!card || card.rate === 0) return '';
    const left = card.secondsLeft === null ? '' : `, ${clock(card.secondsLeft)} left`;
    return `${(card.rate / 1e6).toFixed(1)} MB/s${left}`;
  });
  protected readonly options = computed(() => [
    { id: leaveOut, label: 'leave this card out' },
    ...this.devices().map(({ id, nest, hostName }) => ({ id, label: `${nest} · ${hostName}` })),
  ]);
  protected readonly chosen = computed(() => this.slot().device?.id ?? leaveOut);

  protected assign(id: string): void {
    this.store.dispatch(
      CardsActions.assigned({ slotId: this.slot().proposed.slotId, deviceId: id === leaveOut ? null : id }),
    );
  }
}
