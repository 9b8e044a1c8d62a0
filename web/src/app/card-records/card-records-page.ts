import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { bothSizes, cardAdvice, type CardRecord, type CardWriting } from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { StationActions, stationFeature } from '../state/station.reducer';
import { SortHead } from '../ui/sort-head';
import { TableView } from '../ui/table-view';
import { megabytes } from './rates';

const day = (at: number): string =>
  new Date(at).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' });

/** The write rates of a card from its oldest to its newest writing, as points of a small line. */
function trendOf(writings: readonly CardWriting[]): { points: string; from: string; to: string } | null {
  const rates = writings.flatMap(({ writeRate }) => (writeRate === null ? [] : [writeRate])).reverse();
  const [first] = rates;
  const last = rates.at(-1);
  if (rates.length < 2 || first === undefined || last === undefined) return null;
  const most = Math.max(...rates);
  const points = rates
    .map(
      (rate, at) =>
        `${((at / (rates.length - 1)) * 96 + 2).toFixed(1)},${(26 - (rate / most) * 24).toFixed(1)}`,
    )
    .join(' ');
  return { points, from: megabytes(first), to: megabytes(last) };
}

function rowOf(record: CardRecord) {
  const [last] = record.writings;
  const failed = record.writings.filter(({ fault }) => fault !== null);
  const newest = record.writings.find(({ writeRate }) => writeRate !== null);
  return {
    record,
    size: bothSizes(record.size),
    writes: `${String(record.writings.length)}${failed.length > 0 ? `, ${String(failed.length)} failed` : ''}`,
    last: last ? `${last.hostName} (${last.nest}), ${day(last.at)}` : 'never written',
    state: last?.state ?? '',
    rate: newest?.writeRate ? megabytes(newest.writeRate) : '',
    trend: trendOf(record.writings),
    advice: cardAdvice(record),
    capacity: record.capacity ? `${day(record.capacity.at)}: ${record.capacity.text}` : '',
  };
}

/** Every card that was used here: what it has been through, and whether to use it again. */
@Component({
  selector: 'nm-card-records-page',
  imports: [FormsModule, InputText, RouterLink, SortHead],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './card-records-page.html',
  styleUrl: './card-records-page.css',
})
export class CardRecordsPage {
  private readonly store = inject(Store);
  private readonly records = this.store.selectSignal(stationFeature.selectRecords);
  protected readonly wanted = signal('');
  protected readonly read = computed(() => this.records() !== null);
  private readonly all = computed(() => (this.records() ?? []).map(rowOf));
  protected readonly table = new TableView(this.all, {
    card: ({ record }) => record.key,
    written: ({ record }) => record.writings.length,
    last: ({ record }) => record.writings[0]?.at ?? 0,
    rate: ({ record }) => record.writings.find(({ writeRate }) => writeRate !== null)?.writeRate ?? 0,
    note: ({ record }) => record.note,
  });
  /** Found by what a card has been through, too, which no column tells. */
  protected readonly rows = computed(() => {
    const words = this.wanted().toLowerCase().split(/\s+/).filter(Boolean);
    return this.table.rows().filter(({ record: { key, model, note, writings } }) => {
      const text = [key, model, note, ...writings.map(({ hostName, mark }) => `${hostName} ${mark}`)]
        .join(' ')
        .toLowerCase();
      return words.every((word) => text.includes(word));
    });
  });
  protected readonly total = computed(() => this.records()?.length ?? 0);

  protected note({ key, retired }: CardRecord, note: string): void {
    this.store.dispatch(StationActions.recordChanged({ key, change: { note, retired } }));
  }

  protected retire({ key, note, retired }: CardRecord): void {
    this.store.dispatch(StationActions.recordChanged({ key, change: { note, retired: !retired } }));
  }
}
