import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { deviceStanding, isSure, keepsBenchKey, listed, mayBeHandedOver, settingsOf } from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { batchFeature } from '../state/batch.reducer';
import { Clock } from '../state/clock';
import { selectDeviceViews, selectSelectedDevices } from '../state/selectors';
import { DeviceLink } from '../tray/device-link';
import { FindRows } from '../ui/find-rows';
import { LongValue } from '../ui/long-value';
import { moment } from '../ui/moment';
import { RowsInView } from '../ui/rows-in-view';
import { SortHead } from '../ui/sort-head';
import { TableView } from '../ui/table-view';
import { DevicePassword } from './device-password';
import { HandOverActions, handOverFeature } from './hand-over.reducer';

/** Who has which device now. */
@Component({
  selector: 'nm-hand-over-devices',
  imports: [
    Button,
    DeviceLink,
    DevicePassword,
    FindRows,
    FormsModule,
    InputText,
    LongValue,
    RowsInView,
    SortHead,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './devices-part.html',
  styleUrl: './devices-part.css',
})
export class DevicesPart {
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly selected = this.store.selectSignal(selectSelectedDevices);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  private readonly handed = this.store.selectSignal(handOverFeature.selectView);
  protected readonly batchId = this.store.selectSignal(batchFeature.selectId);
  protected readonly by = signal('');
  protected readonly forget = signal(false);
  protected readonly typed = signal('');

  private readonly proved = computed(() => this.views().filter(({ facts }) => isSure(facts.seen)));
  /** Boards that were proved and still let the bench in by its own key. */
  protected readonly benchIn = computed(() => {
    const carried = this.plan()?.bringUp.benchKey === true;
    return this.proved()
      .filter(({ facts }) => keepsBenchKey(carried, facts))
      .map(({ device }) => device.hostName);
  });
  /** Boards that wait for bringing up. */
  protected readonly waiting = computed(
    () => this.proved().filter(({ facts }) => facts.handedOverAt === null && !mayBeHandedOver(facts)).length,
  );
  protected readonly benchInWords = computed(() => {
    const names = this.benchIn();
    return names.length > 6 ? `${String(names.length)} boards` : listed(names);
  });
  protected readonly selectedOnly = computed(() => this.selected().length > 0);
  /** Devices that can be taken over now. */
  protected readonly able = computed(() =>
    (this.selectedOnly() ? this.selected() : this.views()).filter(
      ({ facts }) => facts.handedOverAt !== null || (isSure(facts.seen) && mayBeHandedOver(facts)),
    ),
  );
  /** What is destroyed cannot be had back, so it is typed. */
  protected readonly phrase = computed(() => `forget ${String(this.able().length)}`);
  protected readonly ready = computed(
    () =>
      this.able().length > 0 &&
      this.by().trim() !== '' &&
      (!this.forget() || this.typed().trim().toLowerCase() === this.phrase()),
  );
  /** Whether people log in by one password on all of them, which is not any device's to forget. */
  protected readonly sharedPassword = computed(() => {
    const access = this.plan()?.access;
    return access?.passwordScope === 'shared' && access.passwordLogin;
  });
  /** Whether devices have passwords of their own. */
  protected readonly eachPassword = computed(() => {
    const plan = this.plan();
    return (
      plan?.access.passwordScope === 'each' &&
      plan.devices.some((device) => settingsOf(plan, device).passwordLogin)
    );
  });
  private readonly rows = computed(() => {
    const handed = new Map(this.handed()?.devices.map((entry) => [entry.deviceId, entry]));
    return this.views().map((view) => {
      const { device, facts, progress } = view;
      const entry = handed.get(device.id);
      return {
        ...device,
        view,
        state: deviceStanding(facts, this.clock.now()).state,
        address: isSure(facts.seen) ? (progress?.seen?.address ?? '') : '',
        print: progress?.fingerprint ?? '',
        taken: entry?.takenOver ? `${entry.takenOver.by}, ${moment(entry.takenOver.at)}` : '',
        forgotten: (entry?.secretsForgottenAt ?? null) !== null,
        byPassword:
          (device.overrides.passwordLogin ?? this.plan()?.access.passwordLogin) === true &&
          (entry?.secretsForgottenAt ?? null) === null,
      };
    });
  });

  protected readonly rowHeight = 48;
  protected readonly table = new TableView(this.rows, {
    name: ({ hostName, mark }) => `${hostName} ${mark}`,
    nest: ({ nest }) => nest,
    state: ({ state }) => state,
    address: ({ address }) => address,
    taken: ({ taken }) => taken,
  });

  protected take(): void {
    if (!this.ready()) return;
    const by = this.by().trim();
    this.store.dispatch(
      HandOverActions.takenOver({
        order: { deviceIds: this.able().map(({ device }) => device.id), by, forget: this.forget() },
      }),
    );
    this.forget.set(false);
    this.typed.set('');
  }
}
