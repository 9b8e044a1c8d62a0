import { ChangeDetectionStrategy, Component, computed, effect, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { deviceStanding, differing, settingTitle, type Device } from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Layout } from '../shell/layout';
import { Clock } from '../state/clock';
import { SelectionActions, selectionFeature } from '../state/selection';
import { selectDeviceViews, selectFindings } from '../state/selectors';
import { Ring } from '../tray/ring';
import { StableRings } from '../tray/stable-rings';
import { RowsInView } from '../ui/rows-in-view';
import { AddDevices } from './add-devices';
import { PlanEditor } from './plan-editor';

/** Height of a row in CSS pixels; the table draws only the rows in view. */
const rowHeight = 52;

@Component({
  selector: 'nm-devices-panel',
  imports: [AddDevices, Button, FormsModule, InputText, Ring, RowsInView],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './devices-panel.html',
  styleUrl: './devices-panel.css',
})
export class DevicesPanel {
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  private readonly editor = inject(PlanEditor);
  protected readonly layout = inject(Layout);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly findings = this.store.selectSignal(selectFindings);
  private readonly selected = this.store.selectSignal(selectionFeature.selectIds);
  protected readonly rowHeight = rowHeight;
  /** Whether the form is there; it stays until the page is left, for there may be another kind to add. */
  protected readonly adding = signal(false);
  protected readonly chosen = computed(() => new Set(this.selected()));

  private readonly rings = new StableRings();
  protected readonly rows = computed(() => {
    const now = this.clock.now();
    const wrong = new Map<string, string[]>();
    for (const finding of this.findings())
      if (finding.deviceId !== undefined)
        wrong.set(finding.deviceId, [...(wrong.get(finding.deviceId) ?? []), finding.message]);
    return this.views().map(({ device, facts }) => ({
      ...device,
      ring: this.rings.of(device.id, deviceStanding(facts, now).ring),
      wrong: wrong.get(device.id)?.join(' ') ?? '',
      differs: differing(device.overrides).map(settingTitle).join(', '),
    }));
  });

  constructor() {
    effect(() => {
      if (this.views().length === 0) this.adding.set(true);
    });
  }

  protected change(id: string, change: Partial<Device>, field: string): void {
    this.editor.edit(
      (plan) => ({
        ...plan,
        devices: plan.devices.map((device) => (device.id === id ? { ...device, ...change } : device)),
      }),
      `${field}-${id}`,
    );
  }

  protected toggle(id: string): void {
    this.store.dispatch(SelectionActions.toggled({ id }));
  }

  protected toggleAll(): void {
    const ids = this.rows().map(({ id }) => id);
    this.store.dispatch(
      this.chosen().size === ids.length ? SelectionActions.cleared() : SelectionActions.set({ ids }),
    );
  }

  protected removeSelected(): void {
    const gone = this.chosen();
    this.editor.edit((plan) => ({ ...plan, devices: plan.devices.filter(({ id }) => !gone.has(id)) }));
    this.store.dispatch(SelectionActions.cleared());
  }
}
