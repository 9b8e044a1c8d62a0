import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  signal,
  untracked,
} from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { bringBack, type RetiredDevice } from '@nest-mark/core';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { batchFeature } from '../state/batch.reducer';
import { NoticeActions } from '../state/notice';
import { moment } from '../ui/moment';
import { PlanEditor } from './plan-editor';

/** Devices that have left the plan: their passports, and the way back. */
@Component({
  selector: 'nm-retired-devices',
  imports: [RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (rows().length > 0) {
      <details class="sheet">
        <summary>
          {{ rows().length }} {{ rows().length === 1 ? 'device has' : 'devices have' }} left this plan
        </summary>
        <table class="plain">
          <thead>
            <tr>
              <th>Mark</th>
              <th>Host name</th>
              <th>Retired</th>
              <th><span class="visually-hidden">What can be done</span></th>
            </tr>
          </thead>
          <tbody>
            @for (row of rows(); track row.device.id) {
              <tr>
                <td class="mono">{{ row.device.mark }}</td>
                <td>
                  <a [routerLink]="['/batch', batchId(), 'device', row.device.id]">{{
                    row.device.hostName || 'no name'
                  }}</a>
                </td>
                <td>{{ row.since }}</td>
                <td>
                  <button type="button" class="quiet" (click)="back(row)">
                    Bring back<span class="visually-hidden"> {{ row.device.hostName }}</span>
                  </button>
                </td>
              </tr>
            }
          </tbody>
        </table>
      </details>
    }
  `,
})
export class RetiredDevices {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly editor = inject(PlanEditor);
  protected readonly batchId = this.store.selectSignal(batchFeature.selectId);
  /** The version that was saved last: who retired stands there with it. */
  private readonly stored = this.store.selectSignal(batchFeature.selectStored);
  private readonly version = computed(() => this.stored()?.version);
  private readonly list = signal<readonly RetiredDevice[]>([]);
  protected readonly rows = computed(() => {
    const planned = new Set(this.editor.plan().devices.map(({ id }) => id));
    return this.list()
      .filter(({ device }) => !planned.has(device.id))
      .map((one) => ({ ...one, since: moment(one.at) }));
  });

  constructor() {
    effect((onCleanup) => {
      const batchId = this.batchId();
      this.version();
      if (batchId === null) return;
      const asked = this.api.retired(batchId).subscribe({
        next: (list) => this.list.set(list),
        error: (error: unknown) =>
          untracked(() => this.store.dispatch(NoticeActions.failed({ problem: asProblem(error) }))),
      });
      onCleanup(() => asked.unsubscribe());
    });
  }

  protected back({ device }: RetiredDevice): void {
    this.editor.edit((plan) => bringBack(plan, device));
  }
}
