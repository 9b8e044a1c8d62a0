import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { clock, listed } from '@nest-mark/core';
import { clueTitles, nameByLabel } from '@nest-mark/core/find';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { Clock } from '../state/clock';
import { progressFeature } from '../state/progress.reducer';
import { selectDeviceViews } from '../state/selectors';
import { FindRows } from '../ui/find-rows';
import { SortHead } from '../ui/sort-head';
import { TableView } from '../ui/table-view';
import { BootActions, bootFeature } from './boot.reducer';

/** Seconds after which phones and renewed addresses are new as well (common practice). */
const STALE = 600;
/** Makers that are told by name. */
const MAKERS = 3;

/** Hosts that were heard and did not prove to be a device of this batch; what came since; and who a person says they are. */
@Component({
  selector: 'nm-heard-hosts',
  imports: [Button, FindRows, FormsModule, InputText, Select, SortHead],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './heard-hosts.html',
  styles: `
    .mark {
      width: 14rem;
    }
    .named {
      display: flex;
      width: 13rem;
      max-width: 100%;
      margin-top: 0.25rem;
    }
  `,
})
export class HeardHosts {
  private readonly clock = inject(Clock);
  private readonly store = inject(Store);
  private readonly progress = this.store.selectSignal(progressFeature.selectProgress);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  protected readonly problem = this.store.selectSignal(bootFeature.selectHeardProblem);
  protected readonly listened = computed(() => this.progress()?.watch != null);
  protected readonly remembered = computed(() => {
    const before = this.progress()?.remembered;
    if (!before) return null;
    const age = Math.max(0, (this.clock.now() - before.at) / 1000);
    return { hosts: before.hosts, age: clock(age), stale: age > STALE };
  });
  protected readonly rows = computed(() => {
    const now = this.clock.now();
    return (this.progress()?.hosts ?? []).map((host, at) => ({
      ...host,
      id: host.hardwareAddress ?? host.addresses[0] ?? String(at),
      name: host.names.join(', '),
      by: host.sources.map((source) => clueTitles[source]).join(', '),
      last: `${clock(Math.max(0, (now - host.at) / 1000))} ago`,
    }));
  });
  protected readonly fresh = computed(() => this.rows().filter(({ isNew }) => isNew).length);
  /** How many there are of each maker, the most first. */
  protected readonly makers = computed(() => {
    const counts = new Map<string, number>();
    for (const { maker } of this.rows()) if (maker !== '') counts.set(maker, (counts.get(maker) ?? 0) + 1);
    const known = [...counts].sort(([, a], [, b]) => b - a);
    const rest = known.slice(MAKERS).reduce((sum, [, count]) => sum + count, 0);
    const words = known.slice(0, MAKERS).map(([maker, count]) => `${String(count)} with ${maker}`);
    return listed([...words, ...(rest > 0 ? [`${String(rest)} of others`] : [])]);
  });
  /** Devices that a host may be said to be: those that no key has proved. */
  protected readonly open = computed(() =>
    this.views()
      .filter(({ facts }) => facts.seen?.standing !== 'proved')
      .map(({ device }) => ({ id: device.id, label: `${device.hostName} · ${device.nest}` })),
  );
  protected readonly table = new TableView(this.rows, {
    address: ({ addresses }) => addresses[0] ?? '',
    name: ({ name }) => name,
    by: ({ by }) => by,
    last: ({ at }) => -at,
    told: ({ told, hardwareAddress, maker, isNew }) =>
      `${isNew ? 'new ' : ''}${told} ${maker} ${hardwareAddress ?? ''}`,
  });

  /** What was scanned or typed, and what became of it. */
  protected readonly scanned = signal('');
  private readonly refusal = signal('');
  /** Which host was said to be which device; it is so once the bench has it on record. */
  private readonly said = signal<{ deviceId: string; hostName: string; hardwareAddress: string } | null>(
    null,
  );
  protected readonly answer = computed(() => {
    const said = this.said();
    if (this.refusal() !== '') return { text: this.refusal(), hand: true };
    const host = this.rows().find(({ hardwareAddress }) => hardwareAddress === said?.hardwareAddress);
    return said && host?.namedAs === said.deviceId
      ? {
          text: `${host.addresses[0] ?? said.hardwareAddress} is ${said.hostName}. Power the next one.`,
          hand: false,
        }
      : null;
  });

  /** Names the one new host by the label of the board that was powered. */
  protected scan(): void {
    this.refusal.set('');
    this.said.set(null);
    const devices = this.views().map(({ device }) => device);
    const named = nameByLabel(this.scanned(), devices, this.rows());
    if (named.kind === 'refused') return this.refusal.set(named.why);
    const { deviceId, hardwareAddress } = named;
    this.store.dispatch(BootActions.boardNamed({ deviceId, hardwareAddress }));
    this.said.set(named);
    this.scanned.set('');
  }

  protected remember(): void {
    this.store.dispatch(BootActions.rememberWanted());
  }

  protected forget(): void {
    this.store.dispatch(BootActions.rememberedLeft());
  }

  protected name(
    deviceId: string | null,
    row: { namedAs: string | null; hardwareAddress: string | null },
  ): void {
    if (deviceId !== null)
      this.store.dispatch(BootActions.boardNamed({ deviceId, hardwareAddress: row.hardwareAddress }));
    else if (row.namedAs !== null)
      this.store.dispatch(BootActions.boardNamed({ deviceId: row.namedAs, hardwareAddress: null }));
  }
}
