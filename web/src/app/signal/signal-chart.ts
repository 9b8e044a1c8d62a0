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
import { BarController, BarElement, CategoryScale, Chart, LinearScale } from 'chart.js';
import { counted, shownLevel, WEAK_DBM } from '@nest-mark/core';
import type { Walked } from '@nest-mark/core/in-air';
import { Theme } from '../theme/theme';
import { chartInk } from '../ui/chart-ink';

Chart.register(BarController, BarElement, CategoryScale, LinearScale);

/** Ends of the scale, in dBm. */
const LEAST = -100;
const MOST = -20;

/** How strongly each network is heard at each place; a line stands where trouble begins. */
@Component({
  selector: 'nm-signal-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="frame">
      <canvas #canvas role="img" [attr.aria-label]="spoken()"></canvas>
    </div>
  `,
  styles: `
    .frame {
      position: relative;
    }
  `,
})
export class SignalChart {
  readonly places = input.required<readonly Walked[]>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private readonly theme = inject(Theme);
  private chart: Chart | null = null;

  constructor() {
    effect(() => {
      this.theme.dark();
      this.draw(this.places());
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  protected spoken(): string {
    const weak = this.places().filter(({ spots }) =>
      spots.some(({ strength }) => strength === 'weak' || strength === 'none'),
    );
    return `Signal by place, network and band; at ${counted(weak.length, 'place')} one of them is ${shownLevel(WEAK_DBM)} or less. The table above has the figures.`;
  }

  private draw(places: readonly Walked[]): void {
    const { ink, soft, line, clay, sheet } = chartInk();
    const spots = places.flatMap((one) => one.spots);
    const fills = { sound: ink, fair: soft, weak: sheet, none: sheet };
    this.canvas().nativeElement.parentElement?.style.setProperty(
      'height',
      `${String(60 + spots.length * 24)}px`,
    );
    this.chart?.destroy();
    this.chart = new Chart(this.canvas().nativeElement, {
      type: 'bar',
      data: {
        labels: spots.map(({ place, latest }) => `${place} · ${latest.network} · ${latest.band}`),
        datasets: [
          {
            data: spots.map(({ latest }): [number, number] => [
              LEAST,
              Math.max(LEAST, Math.min(MOST, latest.dbm ?? LEAST)),
            ]),
            backgroundColor: spots.map(({ strength }) => fills[strength]),
            borderColor: spots.map(({ strength }) => (strength === 'weak' ? clay : ink)),
            borderWidth: 2,
            borderSkipped: false,
            barThickness: 14,
          },
        ],
      },
      options: {
        indexAxis: 'y',
        animation: false,
        maintainAspectRatio: false,
        scales: {
          x: {
            min: LEAST,
            max: MOST,
            title: { display: true, text: 'dBm; the line stands where trouble begins', color: ink },
            ticks: { color: ink, stepSize: 10 },
            grid: { color: line },
          },
          y: { ticks: { color: ink, autoSkip: false }, grid: { display: false } },
        },
        plugins: { legend: { display: false }, tooltip: { enabled: false } },
      },
      plugins: [
        {
          id: 'trouble',
          afterDatasetsDraw: ({ ctx, chartArea, scales }) => {
            const x = scales['x']?.getPixelForValue(WEAK_DBM) ?? 0;
            ctx.save();
            ctx.strokeStyle = clay;
            ctx.lineWidth = 2;
            ctx.beginPath();
            ctx.moveTo(x, chartArea.top);
            ctx.lineTo(x, chartArea.bottom);
            ctx.stroke();
            ctx.fillStyle = ink;
            ctx.textBaseline = 'middle';
            ctx.font = `13px ${String(Chart.defaults.font.family)}`;
            spots.forEach(({ latest }, at) =>
              ctx.fillText(
                shownLevel(latest.dbm, latest.about),
                (scales['x']?.getPixelForValue(latest.dbm ?? LEAST) ?? 0) + 8,
                scales['y']?.getPixelForValue(at) ?? 0,
              ),
            );
            ctx.restore();
          },
        },
      ],
    });
  }
}
