import {
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  effect,
  inject,
  input,
  viewChild,
  type ElementRef,
} from '@angular/core';
import { BarController, BarElement, CategoryScale, Chart, LinearScale, Tooltip } from 'chart.js';
import { clock, type Forecast, type Span } from '@nest-mark/core';
import { Theme } from '../theme/theme';
import { chartInk } from '../ui/chart-ink';
import { resourceTitles, stepTitles } from './resource-words';

Chart.register(BarController, BarElement, CategoryScale, LinearScale, Tooltip);

/** Rows of powered boards that are drawn; more would be thinner than a line. */
const rowsOfBoards = 24;

interface Bar {
  row: string;
  span: Span;
}

/** Puts each board's time under power into the first row that is free, as it would take the first free socket. */
function boardRows(spans: readonly Span[]): { bars: Bar[]; rows: string[] } {
  const byJob = new Map<string, Span[]>();
  for (const span of spans)
    if (span.held.includes('port')) {
      const list = byJob.get(span.job);
      if (list) list.push(span);
      else byJob.set(span.job, [span]);
    }
  const jobs = [...byJob.values()].sort((a, b) => (a[0]?.from ?? 0) - (b[0]?.from ?? 0));
  const ends: number[] = [];
  const bars: Bar[] = [];
  for (const list of jobs) {
    const from = list[0]?.from ?? 0;
    let row = ends.findIndex((end) => end <= from + 1e-6);
    if (row < 0) row = ends.push(0) - 1;
    ends[row] = list.at(-1)?.to ?? from;
    if (row < rowsOfBoards) for (const span of list) bars.push({ row: `Socket ${String(row + 1)}`, span });
  }
  return { bars, rows: ends.slice(0, rowsOfBoards).map((_, at) => `Socket ${String(at + 1)}`) };
}

/** The forecast as bars: one row for the reader, one for the hands, one for each powered socket. */
@Component({
  selector: 'nm-schedule-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <ul class="legend small" aria-hidden="true">
      <li><span class="mark light"></span>swap, check, find</li>
      <li><span class="mark mid"></span>write, first boot, reboot</li>
      <li><span class="mark dark"></span>read back, download, install, bring up</li>
    </ul>
    <div class="frame" [style.height.px]="height">
      <canvas #canvas role="img" [attr.aria-label]="spoken()"></canvas>
    </div>
  `,
  styles: `
    .frame {
      position: relative;
    }
    .legend {
      display: flex;
      gap: 1.25rem;
      list-style: none;
      margin: 0.75rem 0 0.25rem;
      padding: 0;
      flex-wrap: wrap;
    }
    .legend li {
      display: flex;
      align-items: center;
      gap: 0.5rem;
    }
    .mark {
      width: 1.5rem;
      height: 0.75rem;
      border: 1px solid var(--ink);
    }
    .light {
      background: var(--sheet);
    }
    .mid {
      background: var(--line);
    }
    .dark {
      background: var(--ink-soft);
    }
  `,
})
export class ScheduleChart {
  readonly forecast = input.required<Forecast>();
  /** Host names by device id. */
  readonly names = input.required<Record<string, string>>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private readonly theme = inject(Theme);
  private chart: Chart | null = null;
  protected height = 200;

  constructor() {
    effect(() => {
      this.theme.dark();
      this.draw(this.forecast(), this.names());
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  protected spoken(): string {
    const { rounds, finish } = this.forecast();
    return `Schedule by resource: ${String(rounds)} rounds of cards, everything done after ${clock(finish.middle)}.`;
  }

  private draw({ run }: Forecast, names: Record<string, string>): void {
    const { ink, soft, line, sheet } = chartInk();
    const boards = boardRows(run.spans);
    const of = (resource: string): Bar[] =>
      run.spans
        .filter(({ held }) => held.includes(resource))
        .map((span) => ({ row: resourceTitles[resource] ?? resource, span }));
    const bars = [...of('reader'), ...of('hands'), ...boards.bars];
    const rows = [resourceTitles['reader'] ?? '', resourceTitles['hands'] ?? '', ...boards.rows];
    const fill = (step: string): string => {
      if (['verify', 'download', 'update', 'bring up'].includes(step)) return soft;
      return ['write', 'boot', 'reboot'].includes(step) ? line : sheet;
    };
    this.height = 60 + rows.length * 22;
    this.canvas().nativeElement.parentElement?.style.setProperty('height', `${String(this.height)}px`);
    const minutes = (seconds: number): number => seconds / 60;
    this.chart?.destroy();
    this.chart = new Chart(this.canvas().nativeElement, {
      type: 'bar',
      data: {
        labels: rows,
        datasets: [
          {
            data: bars.map(({ row, span }) => ({
              x: [minutes(span.from), minutes(span.to)] as [number, number],
              y: row,
            })) as never,
            backgroundColor: bars.map(({ span }) => fill(span.step)),
            borderColor: ink,
            borderWidth: 1,
            borderSkipped: false,
            barThickness: 16,
            grouped: false,
          },
        ],
      },
      options: {
        animation: false,
        indexAxis: 'y',
        maintainAspectRatio: false,
        scales: {
          x: {
            min: 0,
            title: { display: true, text: 'minutes from the start', color: ink },
            ticks: { color: ink },
            grid: { color: line },
          },
          y: { ticks: { color: ink, autoSkip: false }, grid: { display: false } },
        },
        plugins: {
          // The legend above tells fills apart; here there is one set of bars.
          legend: { display: false },
          tooltip: {
            callbacks: {
              title: (items) => items.map(({ dataIndex }) => bars[dataIndex]?.row ?? '').join(', '),
              label: ({ dataIndex }) => {
                const bar = bars[dataIndex];
                if (!bar) return '';
                const { step, job, from, to } = bar.span;
                const who = names[job] ?? job.replace('round-', 'round ');
                return `${who}: ${stepTitles[step] ?? step}, ${clock(from)} to ${clock(to)}`;
              },
            },
          },
        },
      },
    });
  }
}
