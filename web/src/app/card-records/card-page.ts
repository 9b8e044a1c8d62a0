import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { bothSizes, cardAdvice, type CardRecord } from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { selectDeviceViews } from '../state/selectors';
import { StationActions, stationFeature } from '../state/station.reducer';
import { DeviceLink } from '../tray/device-link';
import { moment } from '../ui/moment';
import { megabytes } from './rates';

/** What one card has been through: its devices over time, how fast it was, whether to use it again. */
@Component({
  selector: 'nm-card-page',
  imports: [DeviceLink, InputText, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (record(); as record) {
      <div class="row">
        <h1 class="grow mono cut" [title]="record.key">{{ record.key }}</h1>
        <button type="button" class="quiet" (click)="retire(record)">
          {{ record.retired ? 'Use it again' : 'Retire it' }}
        </button>
        <a class="quiet" routerLink="..">All cards</a>
      </div>
      <p>
        {{ record.model }}, {{ size() }}, first seen here {{ firstSeen() }}.
        @if (record.retired) {
          <strong class="clay">Retired.</strong>
        }
      </p>
      @if (advice()) {
        <p class="notice hand">{{ advice() }}</p>
      }
      @if (record.capacity; as capacity) {
        <p class="small">Capacity check, {{ checked() }}: {{ capacity.text }}</p>
      }
      <div class="field">
        <label for="card-note">Note</label>
        <input
          pInputText
          id="card-note"
          maxlength="500"
          [value]="record.note"
          (change)="note(record, $any($event.target).value)"
        />
      </div>
      <section class="sheet" aria-labelledby="writings">
        <h2 id="writings">Its devices over time</h2>
        <table class="plain">
          <thead>
            <tr>
              <th>When</th>
              <th>Device</th>
              <th>Nest</th>
              <th>Batch</th>
              <th>What became of it</th>
              <th>Written</th>
              <th>Read back</th>
            </tr>
          </thead>
          <tbody>
            @for (row of rows(); track $index) {
              <tr>
                <td class="whole small">{{ row.when }}</td>
                <td>
                  @if (row.view; as view) {
                    <nm-device-link [view]="view" />
                  } @else {
                    {{ row.hostName }} <span class="mono small">{{ row.mark }}</span>
                  }
                </td>
                <td class="mono">{{ row.nest }}</td>
                <td>{{ row.batchName }}</td>
                <td [class.clay]="row.fault !== null">
                  {{ row.state }}{{ row.fault ? ': ' + row.fault : '' }}
                </td>
                <td class="whole">{{ row.write }}</td>
                <td class="whole">{{ row.verify }}</td>
              </tr>
            } @empty {
              <tr>
                <td colspan="7">It was never written here.</td>
              </tr>
            }
          </tbody>
        </table>
      </section>
    } @else if (loaded()) {
      <h1>No such card</h1>
      <p class="notice">No card with this serial was written here. <a routerLink="..">All cards</a></p>
    } @else {
      <h1>Card</h1>
      <p aria-busy="true">Looking for its record…</p>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 0.75rem;
    }
    .field {
      max-width: 40rem;
    }
  `,
})
export class CardPage {
  private readonly store = inject(Store);
  private readonly records = this.store.selectSignal(stationFeature.selectRecords);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  /** Key of its record, from the page's address. */
  readonly key = input.required<string>();
  protected readonly loaded = computed(() => this.records() !== null);
  protected readonly record = computed(() => this.records()?.find(({ key }) => key === this.key()));
  protected readonly size = computed(() => bothSizes(this.record()?.size ?? 0));
  protected readonly firstSeen = computed(() => moment(this.record()?.firstSeen ?? 0));
  protected readonly checked = computed(() => moment(this.record()?.capacity?.at ?? 0));
  protected readonly advice = computed(() => {
    const record = this.record();
    return record ? cardAdvice(record) : '';
  });
  protected readonly rows = computed(() => {
    const byMark = new Map(this.views().map((view) => [view.device.mark, view]));
    return (this.record()?.writings ?? []).map((writing) => ({
      ...writing,
      when: moment(writing.at),
      // Marks are unique over all batches; one that is not in this plan is told by name.
      view: byMark.get(writing.mark),
      write: writing.writeRate === null ? '' : megabytes(writing.writeRate),
      verify: writing.verifyRate === null ? '' : megabytes(writing.verifyRate),
    }));
  });

  protected note({ key, retired }: CardRecord, note: string): void {
    this.store.dispatch(StationActions.recordChanged({ key, change: { note, retired } }));
  }

  protected retire({ key, note, retired }: CardRecord): void {
    this.store.dispatch(StationActions.recordChanged({ key, change: { note, retired: !retired } }));
  }
}
