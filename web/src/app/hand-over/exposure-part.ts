import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { isSure, listed } from '@nest-mark/core';
import { LoginWaySchema, type LoginWay } from '@nest-mark/core/api';
import { askedPorts, whyNotForward } from '@nest-mark/core/bring-up';
import { Button } from 'primeng/button';
import { Select } from 'primeng/select';
import { selectDeviceViews, selectSelectedDevices } from '../state/selectors';
import { DeviceLink } from '../tray/device-link';
import { FindRows } from '../ui/find-rows';
import { loginTitles } from '../ui/login-titles';
import { moment } from '../ui/moment';
import { SortHead } from '../ui/sort-head';
import { TableView } from '../ui/table-view';
import { HandOverActions, handOverFeature } from './hand-over.reducer';

const words = { grave: 'Grave:', warns: 'Look:', note: 'Note:' } as const;

/** How much somebody is needed: one grave thing outweighs all that only want a look. */
const weight = (findings: readonly { severity: keyof typeof words }[]): number =>
  findings.reduce((sum, { severity }) => sum + { grave: 10_000, warns: 100, note: 1 }[severity], 0);

/** What is open on the boards, to whom, and what mends it. */
@Component({
  selector: 'nm-exposure-part',
  imports: [Button, DeviceLink, FindRows, FormsModule, Select, SortHead],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './exposure-part.html',
  styleUrl: './parts.css',
  styles: `
    table.boards td {
      vertical-align: top;
    }
    .who {
      display: inline-block;
    }
    .who::first-letter {
      text-transform: uppercase;
    }
    ul {
      list-style: none;
      margin: 0;
      padding: 0;
    }
    li {
      display: flex;
      gap: 0.5rem;
      padding: 0.25rem 0;
    }
    .todo {
      display: block;
      overflow-wrap: anywhere;
    }
    .sign {
      flex: none;
      width: 0.875rem;
      height: 0.875rem;
      margin-top: 0.25rem;
      border: 2px solid var(--ink);
    }
    .sign.grave {
      background: var(--clay);
      border-color: var(--clay);
      clip-path: polygon(50% 0, 100% 100%, 0 100%);
    }
    .sign.warns {
      border-color: var(--clay);
      transform: rotate(45deg) scale(0.8);
    }
    .sign.note {
      border-radius: 50%;
      border-color: var(--ink-soft);
    }
    .sign.none {
      display: inline-block;
      border-radius: 50%;
      background: var(--marsh);
      border-color: var(--marsh);
      vertical-align: -0.1rem;
    }
    .name {
      max-width: 13rem;
    }
  `,
})
export class ExposurePart {
  private readonly store = inject(Store);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly selected = this.store.selectSignal(selectSelectedDevices);
  private readonly exposure = this.store.selectSignal(handOverFeature.selectExposure);
  protected readonly words = words;
  protected readonly whyNot = whyNotForward;
  protected readonly ports = askedPorts.length;
  protected readonly way = signal<LoginWay | null>(null);
  protected readonly ways: { way: LoginWay | null; title: string }[] = [
    { way: null, title: 'no: from outside only' },
    ...LoginWaySchema.options.map((way) => ({ way, title: loginTitles[way] })),
  ];

  protected readonly running = computed(() => this.exposure()?.running ?? null);
  protected readonly message = computed(() => this.exposure()?.message ?? '');
  protected readonly meant = computed(() => {
    const chosen = this.selected();
    return (chosen.length > 0 ? chosen : this.views())
      .filter(({ facts }) => isSure(facts.seen))
      .map(({ device }) => device.id);
  });
  private readonly byId = computed(() => new Map(this.views().map((view) => [view.device.id, view])));
  protected readonly missed = computed(() =>
    (this.exposure()?.missed ?? []).map((one) => ({
      ...one,
      name: this.byId().get(one.deviceId)?.device.hostName ?? '',
    })),
  );
  /** What needs somebody most comes first; what is alike as it lies in the tray. */
  protected readonly rows = computed(() => {
    const looks = new Map(this.exposure()?.devices.map((look) => [look.deviceId, look]));
    return this.views()
      .flatMap((view) => {
        const look = looks.get(view.device.id);
        if (!look) return [];
        const others = look.ports.map(({ port }) => String(port));
        return [
          {
            ...look,
            view,
            when: moment(look.at),
            answering:
              others.length === 0 ? 'nothing but its login answers' : `ports that answer: ${listed(others)}`,
          },
        ];
      })
      .sort((a, b) => weight(b.findings) - weight(a.findings));
  });
  protected readonly tally = computed(() => {
    const rows = this.rows();
    const bad = rows.filter(({ findings }) => findings.some(({ severity }) => severity !== 'note')).length;
    return bad === 0
      ? `Nothing is open that should not be, on ${String(rows.length)} ${rows.length === 1 ? 'board' : 'boards'}`
      : `${String(bad)} of ${String(rows.length)} ${rows.length === 1 ? 'board' : 'boards'} need a look`;
  });
  protected readonly table = new TableView(this.rows, {
    name: ({ view }) => `${view.device.hostName} ${view.device.mark}`,
    nest: ({ view }) => view.device.nest,
    grave: ({ findings }) =>
      `${String(1e6 - weight(findings))} ${findings.map(({ text }) => text).join(' ')}`,
  });

  protected look(): void {
    this.store.dispatch(HandOverActions.exposureWanted({ deviceIds: this.meant(), way: this.way() }));
  }

  protected stop(): void {
    this.store.dispatch(HandOverActions.exposureStopped());
  }
}
