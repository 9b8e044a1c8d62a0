import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { deviceStanding } from '@nest-mark/core';
import { batchFeature } from '../state/batch.reducer';
import { Clock } from '../state/clock';
import type { DeviceView } from '../state/selectors';
import { Ring } from './ring';
import { sameRing } from './stable-rings';

/** A device's ring and name wherever it is told of; it leads to the device's passport. */
@Component({
  selector: 'nm-device-link',
  imports: [Ring, RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<a
    [routerLink]="['/batch', batchId(), 'device', view().device.id]"
    [title]="view().device.hostName"
    ><nm-ring [arcs]="ring()" [size]="26" /><span class="cut">{{ name() }}</span></a
  >`,
  styles: `
    a {
      display: inline-flex;
      align-items: center;
      gap: 0.5rem;
      max-width: 100%;
      min-height: 32px;
      color: var(--ink);
      font-weight: 650;
      text-decoration-color: var(--line-strong);
    }
  `,
})
export class DeviceLink {
  private readonly clock = inject(Clock);
  readonly view = input.required<DeviceView>();
  /** The mark in place of the name, where there is little room. */
  readonly short = input(false);
  protected readonly batchId = inject(Store).selectSignal(batchFeature.selectId);
  protected readonly ring = computed(() => deviceStanding(this.view().facts, this.clock.now()).ring, {
    equal: sameRing,
  });
  protected readonly name = computed(() => {
    const { hostName, mark } = this.view().device;
    return this.short() ? mark : hostName || 'no name yet';
  });
}
