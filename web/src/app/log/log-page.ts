import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { selectDeviceViews } from '../state/selectors';
import { DeviceLink } from '../tray/device-link';
import { LogActions, logFeature, type LogFilter } from './log.reducer';

/** What happened, by device and by card; nothing in it can be changed. */
@Component({
  selector: 'nm-log-page',
  imports: [Button, DeviceLink, FormsModule, InputText, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h1>Log</h1>
    <div class="row">
      <div class="field">
        <label id="log-scope-label" for="log-scope">Of</label>
        <p-select
          inputId="log-scope"
          ariaLabelledBy="log-scope-label"
          [options]="scopes"
          optionLabel="label"
          optionValue="id"
          [ngModel]="narrowed().scope"
          (ngModelChange)="narrow({ scope: $event, deviceId: '' })"
        />
      </div>
      <div class="field">
        <label id="log-device-label" for="log-device">Device</label>
        <p-select
          inputId="log-device"
          ariaLabelledBy="log-device-label"
          [options]="devices()"
          optionLabel="label"
          optionValue="id"
          [filter]="true"
          [ngModel]="narrowed().deviceId"
          (ngModelChange)="narrow({ deviceId: $event })"
        />
      </div>
      <div class="field">
        <label for="log-card">Card’s serial</label>
        <input
          pInputText
          class="mono"
          id="log-card"
          autocomplete="off"
          maxlength="64"
          [ngModel]="narrowed().cardSerial"
          (ngModelChange)="narrow({ cardSerial: $event.trim() })"
        />
      </div>
    </div>
    @if (problem(); as problem) {
      <p class="notice hand" role="alert">{{ problem.detail }}</p>
    }
    @if (entries(); as entries) {
      <section class="sheet" aria-label="Entries, newest first">
        <table class="plain">
          <thead>
            <tr>
              <th class="when">When</th>
              <th class="who">Device</th>
              <th class="card">Card</th>
              <th>What happened</th>
            </tr>
          </thead>
          <tbody>
            @for (entry of entries; track entry.id) {
              <tr>
                <td class="small">
                  <time [attr.datetime]="entry.iso">{{ entry.when }}</time>
                </td>
                <td>
                  @if (entry.device; as device) {
                    <nm-device-link [view]="device" [short]="true" />
                  }
                </td>
                <td class="mono small">{{ entry.cardSerial }}</td>
                <td>{{ entry.text }}</td>
              </tr>
            } @empty {
              <tr>
                <td colspan="4">Nothing has happened here yet.</td>
              </tr>
            }
          </tbody>
        </table>
        @if (!ended()) {
          <p-button label="Read older ones" severity="secondary" [outlined]="true" (onClick)="older()" />
        }
      </section>
    } @else {
      <p aria-busy="true">Reading the log…</p>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 0.875rem;
    }
    .field {
      min-width: 13rem;
    }
    .when {
      width: 9rem;
    }
    .who,
    .card {
      width: 7.5rem;
    }
  `,
})
export class LogPage {
  private readonly store = inject(Store);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly state = this.store.selectSignal(logFeature.selectLogState);
  protected readonly narrowed = this.store.selectSignal(logFeature.selectFilter);
  protected readonly problem = this.store.selectSignal(logFeature.selectProblem);
  protected readonly ended = this.store.selectSignal(logFeature.selectEnded);
  protected readonly scopes = [
    { id: 'batch', label: 'this batch' },
    { id: 'all', label: 'everything' },
  ];
  protected readonly devices = computed(() => [
    { id: '', label: 'all devices' },
    ...this.views().map(({ device }) => ({ id: device.id, label: `${device.nest} · ${device.hostName}` })),
  ]);
  private readonly byId = computed(() => new Map(this.views().map((view) => [view.device.id, view])));
  protected readonly entries = computed(() =>
    this.state().entries?.map((entry) => {
      const at = new Date(entry.at);
      const day = at.toLocaleDateString('en-GB', { day: 'numeric', month: 'short' });
      return {
        ...entry,
        when: `${day} ${at.toLocaleTimeString('en-GB')}`,
        iso: at.toISOString(),
        device: entry.deviceId === null ? null : (this.byId().get(entry.deviceId) ?? null),
      };
    }),
  );

  constructor() {
    this.store.dispatch(LogActions.entered());
  }

  protected narrow(change: Partial<LogFilter>): void {
    this.store.dispatch(LogActions.narrowed({ change }));
  }

  protected older(): void {
    this.store.dispatch(LogActions.olderWanted());
  }
}
