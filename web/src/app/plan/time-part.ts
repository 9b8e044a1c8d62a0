import { NgTemplateOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, effect, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { settingsOf, type BenchPlan } from '@nest-mark/core';
import { Checkbox } from 'primeng/checkbox';
import { InputText } from 'primeng/inputtext';
import { BoardsActions, boardsFeature } from '../state/boards.reducer';
import { progressFeature } from '../state/progress.reducer';
import { selectPlanView } from '../state/selectors';
import { span } from '../ui/span';
import { Forecaster } from './forecaster';
import { bounded } from './numeric';
import { PlanEditor } from './plan-editor';
import { resourceTitles } from './resource-words';
import { ScheduleChart } from './schedule-chart';

interface Setting {
  field: keyof BenchPlan;
  label: string;
  least: number;
  most: number;
  whole: boolean;
}

const settings: readonly Setting[] = [
  { field: 'readers', label: 'Card readers', least: 1, most: 16, whole: true },
  { field: 'slots', label: 'Slots of each', least: 1, most: 64, whole: true },
  { field: 'readerMBps', label: 'A whole reader, MB/s', least: 0.1, most: 100_000, whole: false },
  { field: 'cardWriteMBps', label: 'One card writes, MB/s', least: 0.1, most: 10_000, whole: false },
  { field: 'cardReadMBps', label: 'One card reads, MB/s', least: 0.1, most: 10_000, whole: false },
  { field: 'swapSeconds', label: 'Swapping a card, s', least: 0, most: 86_400, whole: false },
  { field: 'hands', label: 'Pairs of hands', least: 1, most: 20, whole: true },
  { field: 'findSeconds', label: 'Finding, s', least: 0, most: 86_400, whole: false },
  { field: 'checkSeconds', label: 'Checking a board, s', least: 0, most: 86_400, whole: false },
  { field: 'shutDownSeconds', label: 'Shutting down, s', least: 0, most: 86_400, whole: false },
];
const updateSettings: readonly Setting[] = [
  { field: 'updateMB', label: 'Download for each, MB', least: 0, most: 100_000, whole: false },
  { field: 'internetMbps', label: 'Internet line, Mbit/s', least: 0.01, most: 100_000, whole: false },
  { field: 'updateSeconds', label: 'Installing, full-size, s', least: 0, most: 86_400, whole: false },
  { field: 'rebootSeconds', label: 'Reboot, full-size, s', least: 0, most: 86_400, whole: false },
];

type Arrivals = Readonly<Record<string, readonly number[]>>;
const sameArrivals = (one: Arrivals, other: Arrivals): boolean =>
  JSON.stringify(one) === JSON.stringify(other);

/** How long the batch will take on this bench, what holds it up, and what would help. */
@Component({
  selector: 'nm-time-part',
  imports: [Checkbox, FormsModule, InputText, NgTemplateOutlet, ScheduleChart],
  providers: [Forecaster],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './time-part.html',
  styleUrls: ['./panel.css', './time-part.css'],
})
export class TimePart {
  private readonly store = inject(Store);
  private readonly editor = inject(PlanEditor);
  private readonly forecaster = inject(Forecaster);
  private readonly view = this.store.selectSignal(selectPlanView);
  private readonly rates = this.store.selectSignal(boardsFeature.selectRates);
  private readonly times = this.store.selectSignal(boardsFeature.selectTimes);
  private readonly progress = this.store.selectSignal(progressFeature.selectProgress);
  private readonly arrivals = computed((): Arrivals => this.progress()?.arrivals ?? {}, {
    equal: sameArrivals,
  });
  protected readonly settings = settings;
  protected readonly updateSettings = updateSettings;
  protected readonly bench = computed(() => this.editor.plan().bench);
  protected readonly working = this.forecaster.working;
  protected readonly measured = computed(() => this.rates());
  protected readonly answer = computed(() => {
    const answer = this.forecaster.answer();
    if (!answer?.ok) return null;
    const { forecast, whatIfs } = answer;
    const { bottleneck } = forecast;
    return {
      forecast,
      names: Object.fromEntries(this.editor.plan().devices.map(({ id, hostName }) => [id, hostName])),
      finish: span(forecast.finish.middle),
      range: `between ${span(forecast.finish.early)} and ${span(forecast.finish.late)}`,
      cards: span(forecast.cardsDone.middle),
      cardsRange: `${span(forecast.cardsDone.early)} to ${span(forecast.cardsDone.late)}`,
      hands: span(forecast.handsOnSeconds),
      bottleneck: bottleneck
        ? `${resourceTitles[bottleneck.resource] ?? bottleneck.resource}, in use ${String(Math.round(bottleneck.share * 100))} % of the time`
        : 'nothing: nobody waits for anything',
      whatIfs: whatIfs.map((entry) => ({
        ...entry,
        words:
          entry.saved > 30
            ? `saves ${span(entry.saved)}`
            : entry.saved < -30
              ? `takes ${span(-entry.saved)} longer`
              : 'changes nothing',
      })),
    };
  });
  protected readonly trouble = computed(() => {
    const answer = this.forecaster.answer();
    return answer && !answer.ok ? answer.message : '';
  });

  constructor() {
    this.store.dispatch(BoardsActions.timesAsked());
    effect(() => {
      const view = this.view();
      if (!view) return;
      const { plan, images, networks, boards } = view;
      const wanted = new Set(plan.devices.map((device) => settingsOf(plan, device).imageId));
      const desktop = images.some(({ id, flavour }) => wanted.has(id) && flavour === 'desktop');
      const learnt = { rates: this.rates(), times: this.times(), arrivals: this.arrivals() };
      this.forecaster.ask({ plan, images, networks, boards, ...learnt }, desktop);
    });
  }

  protected mega(octets: number): string {
    return (octets / 1e6).toPrecision(3);
  }

  protected number({ field, least, most, whole }: Setting, value: unknown): void {
    const number = bounded(value, least, most);
    if (number !== null && (!whole || Number.isInteger(number)))
      this.set({ [field]: number }, `bench.${field}`);
  }

  protected ports(value: unknown): void {
    const poweredPorts = value === null ? null : bounded(value, 1, 1000);
    if (value === null || (poweredPorts !== null && Number.isInteger(poweredPorts)))
      this.set({ poweredPorts }, 'bench.poweredPorts');
  }

  protected set(change: Partial<BenchPlan>, field: string): void {
    this.editor.edit((plan) => ({ ...plan, bench: { ...plan.bench, ...change } }), field);
  }
}
