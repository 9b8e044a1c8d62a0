import { ChangeDetectionStrategy, Component } from '@angular/core';
import { AccessPanel } from './access-panel';
import { DevicesPanel } from './devices-panel';
import { ExtrasPanel } from './extras-panel';
import { NetworkPanel } from './network-panel';
import { SystemPanel } from './system-panel';
import { TrayPanel } from './tray-panel';

/** Everything that the cards will say. */
@Component({
  selector: 'nm-settings-part',
  imports: [AccessPanel, DevicesPanel, ExtrasPanel, NetworkPanel, SystemPanel, TrayPanel],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="panels">
      <nm-devices-panel class="wide" />
      <div class="column">
        <nm-tray-panel />
        <nm-system-panel />
      </div>
      <nm-access-panel />
      <nm-network-panel class="wide" />
      <nm-extras-panel class="wide" />
    </div>
  `,
  styles: `
    .panels {
      display: grid;
      grid-template-columns: repeat(2, minmax(0, 1fr));
      gap: 1rem;
      align-items: start;
    }
    .column {
      display: flex;
      flex-direction: column;
      gap: 1rem;
      min-width: 0;
    }
    .wide {
      grid-column: 1 / -1;
    }
  `,
})
export class SettingsPart {}
