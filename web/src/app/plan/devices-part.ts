import { ChangeDetectionStrategy, Component } from '@angular/core';
import { DevicesPanel } from './devices-panel';
import { RetiredDevices } from './retired-devices';
import { TrayPanel } from './tray-panel';

/** Which devices the batch has, and where each lies. */
@Component({
  selector: 'nm-devices-part',
  imports: [DevicesPanel, RetiredDevices, TrayPanel],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <nm-tray-panel />
    <nm-devices-panel />
    <nm-retired-devices />
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 0.75rem;
    }
  `,
})
export class DevicesPart {}
