import { ChangeDetectionStrategy, Component, inject, input, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { firstValueFrom } from 'rxjs';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { NoticeActions } from '../state/notice';

/** How long a password stays on the screen. */
const shownMs = 20_000;

/** The password made for one device: shown on request and for a while only, which is logged. */
@Component({
  selector: 'nm-device-password',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (shown(); as password) {
      <span class="mono">{{ password }}</span>
    }
    <button
      type="button"
      class="quiet"
      [attr.aria-label]="(shown() ? 'Hide' : 'Show') + ' the password of ' + hostName()"
      (click)="toggle()"
    >
      {{ shown() ? 'Hide' : 'Show' }}
    </button>
  `,
  styles: `
    :host {
      display: flex;
      align-items: center;
      gap: 0.5rem;
    }
  `,
})
export class DevicePassword {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  readonly batchId = input.required<string>();
  readonly deviceId = input.required<string>();
  readonly hostName = input.required<string>();
  protected readonly shown = signal<string | null>(null);
  private timer: ReturnType<typeof setTimeout> | undefined;

  protected async toggle(): Promise<void> {
    clearTimeout(this.timer);
    if (this.shown() !== null) {
      this.shown.set(null);
      return;
    }
    try {
      const { value } = await firstValueFrom(
        this.api.reveal(this.batchId(), 'userPassword', this.deviceId()),
      );
      this.shown.set(value);
      this.timer = setTimeout(() => this.shown.set(null), shownMs);
    } catch (error) {
      this.store.dispatch(NoticeActions.failed({ problem: asProblem(error) }));
    }
  }
}
