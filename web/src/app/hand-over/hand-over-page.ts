import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  deviceStanding,
  fileSlug,
  isSure,
  keepsBenchKey,
  listed,
  mayBeHandedOver,
  settingsOf,
} from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { batchFeature } from '../state/batch.reducer';
import { Clock } from '../state/clock';
import { ProgressActions } from '../state/progress.reducer';
import { selectDeviceViews, selectSelectedDevices } from '../state/selectors';
import { DeviceLink } from '../tray/device-link';
import { FindRows } from '../ui/find-rows';
import { LongValue } from '../ui/long-value';
import { RowsInView } from '../ui/rows-in-view';
import { SortHead } from '../ui/sort-head';
import { TableView } from '../ui/table-view';
import { DevicePassword } from './device-password';
import { HandOverActions, handOverFeature, type HandOverFile } from './hand-over.reducer';

/** Files for other tools, and who has been handed over. */
@Component({
  selector: 'nm-hand-over-page',
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
  templateUrl: './hand-over-page.html',
  styleUrl: './hand-over-page.css',
})
export class HandOverPage {
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly selected = this.store.selectSignal(selectSelectedDevices);
  protected readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  protected readonly shown = this.store.selectSignal(handOverFeature.selectShown);
  protected readonly problem = this.store.selectSignal(handOverFeature.selectProblem);
  private readonly typedPath = signal<string | null>(null);

  protected readonly name = computed(() => fileSlug(this.plan()?.name ?? ''));
  protected readonly path = computed(() => this.typedPath() ?? `~/.ssh/known_hosts.${this.name()}`);
  protected readonly proved = computed(() => this.views().filter(({ facts }) => isSure(facts.seen)));
  /** Devices whose card was copied: nobody can say which of the boards is meant. */
  protected readonly copied = computed(() =>
    this.views().flatMap(({ device, progress }) => {
      const seen = progress?.seen;
      return seen && seen.alsoAt.length > 0
        ? [{ name: device.hostName, places: [seen.address, ...seen.alsoAt].join(' and ') }]
        : [];
    }),
  );
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
  protected readonly example = computed(
    () => this.proved()[0]?.device.hostName ?? this.views()[0]?.device.hostName ?? 'name',
  );
  protected readonly files = computed(() => {
    const base = `/api/batches/${this.batchId() ?? ''}/hand-over`;
    const query = `?${new URLSearchParams({ knownHosts: this.path() }).toString()}`;
    return [
      {
        file: 'known_hosts' as const,
        title: 'Known hosts',
        saved: `known_hosts.${this.name()}`,
        link: `${base}/known_hosts`,
        use: 'Every device’s host key, so that the first login asks nothing and a stranger is refused.',
      },
      {
        file: 'ssh_config' as const,
        title: 'SSH client configuration',
        saved: `ssh_config.${this.name()}`,
        link: `${base}/ssh_config${query}`,
        use: 'One block for each device: log in by its name.',
      },
      {
        file: 'batch.csv' as const,
        title: 'The batch as a table',
        saved: `${this.name()}.csv`,
        link: `${base}/batch.csv`,
        use: 'Nest, mark, name, address, key: for the record or a spreadsheet.',
      },
    ];
  });
  protected readonly ready = computed(() => {
    const chosen = this.selected().filter(({ facts }) => isSure(facts.seen));
    const all = chosen.length > 0 ? chosen : this.proved();
    return all.filter(({ facts }) => mayBeHandedOver(facts));
  });
  /** Whether devices have passwords of their own. */
  protected readonly eachPassword = computed(() => {
    const plan = this.plan();
    return (
      plan?.access.passwordScope === 'each' &&
      plan.devices.some((device) => settingsOf(plan, device).passwordLogin)
    );
  });
  private readonly rows = computed(() =>
    this.views().map((view) => {
      const { device, facts, progress } = view;
      return {
        ...device,
        view,
        state: deviceStanding(facts, this.clock.now()).state,
        address: isSure(facts.seen) ? (progress?.seen?.address ?? '') : '',
        print: progress?.fingerprint ?? '',
        byPassword: (device.overrides.passwordLogin ?? this.plan()?.access.passwordLogin) === true,
      };
    }),
  );

  protected readonly rowHeight = 48;
  protected readonly table = new TableView(this.rows, {
    name: ({ hostName, mark }) => `${hostName} ${mark}`,
    nest: ({ nest }) => nest,
    state: ({ state }) => state,
    address: ({ address }) => address,
  });

  protected setPath(path: string): void {
    this.typedPath.set(path);
  }

  protected look(file: HandOverFile): void {
    this.store.dispatch(HandOverActions.lookWanted({ file }));
  }

  protected handOver(): void {
    this.store.dispatch(
      ProgressActions.handOverNoted({ deviceIds: this.ready().map(({ device }) => device.id) }),
    );
  }
}
