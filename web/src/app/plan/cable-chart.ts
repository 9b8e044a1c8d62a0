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
import { Chart, Legend, LinearScale, LineController, LineElement, PointElement } from 'chart.js';
import { longestCable, voltsAtBoard, type Cable } from '@nest-mark/core';
import { Theme } from '../theme/theme';
import { chartInk } from '../ui/chart-ink';

Chart.register(Legend, LinearScale, LineController, LineElement, PointElement);

/** Points of the line; it is straight, so few are enough. */
const points = 20;

/** Voltage at the board over the length of the cable, for the chosen gauge and its neighbours. */
@Component({
  selector: 'nm-cable-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="frame">
      <canvas #canvas role="img" [attr.aria-label]="spoken()"></canvas>
    </div>
  `,
  styles: `
    .frame {
      height: 260px;
      position: relative;
    }
  `,
})
export class CableChart {
  readonly cable = input.required<Cable>();
  readonly amps = input.required<number>();
  readonly minVolts = input.required<number>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private readonly theme = inject(Theme);
  private chart: Chart | null = null;

  constructor() {
    effect(() => {
      this.theme.dark();
      this.draw();
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  protected spoken(): string {
    const longest = longestCable(this.cable(), this.amps(), this.minVolts());
    return `Voltage at the board over the length of the cable; it falls below ${this.minVolts().toFixed(2)} volts after ${longest.toFixed(1)} metres.`;
  }

  private draw(): void {
    const cable = this.cable();
    const amps = this.amps();
    const limit = longestCable(cable, amps, this.minVolts());
    const most = Math.max(2, cable.metres * 1.5, Number.isFinite(limit) ? Math.min(limit * 1.3, 50) : 2);
    const { ink, soft, line, clay } = chartInk();
    const over = (awg: number): { x: number; y: number }[] =>
      Array.from({ length: points + 1 }, (_, at) => {
        const metres = (most * at) / points;
        return { x: metres, y: voltsAtBoard({ ...cable, awg, metres }, amps) };
      });
    const gauges = [cable.awg - 4, cable.awg, cable.awg + 4].filter((awg) => awg >= 10 && awg <= 40);
    const dash = (awg: number): number[] => (awg === cable.awg ? [] : awg < cable.awg ? [10, 4] : [3, 3]);
    const axis = (text: string): object => ({
      type: 'linear',
      title: { display: true, text, color: ink },
      ticks: { color: ink },
      grid: { color: line },
    });
    this.chart?.destroy();
    this.chart = new Chart(this.canvas().nativeElement, {
      type: 'line',
      data: {
        datasets: [
          ...gauges.map((awg) => ({
            label: `AWG ${String(awg)}`,
            data: over(awg),
            borderColor: awg === cable.awg ? ink : soft,
            borderWidth: awg === cable.awg ? 3 : 2,
            borderDash: dash(awg),
            pointRadius: 0,
            pointStyle: 'line' as const,
          })),
          {
            label: 'needed',
            data: [
              { x: 0, y: this.minVolts() },
              { x: most, y: this.minVolts() },
            ],
            borderColor: clay,
            borderWidth: 2,
            pointRadius: 0,
            pointStyle: 'line' as const,
          },
          {
            label: 'your cable',
            data: [{ x: cable.metres, y: voltsAtBoard(cable, amps) }],
            borderColor: ink,
            backgroundColor: ink,
            pointRadius: 7,
            pointStyle: 'rectRot' as const,
            showLine: false,
          },
        ],
      },
      options: {
        animation: false,
        maintainAspectRatio: false,
        scales: {
          x: { ...axis('metres of cable'), min: 0, max: Number(most.toFixed(1)) },
          y: { ...axis('volts at the board'), suggestedMax: cable.sourceVolts },
        },
        plugins: {
          legend: {
            position: 'right',
            labels: {
              color: ink,
              usePointStyle: true,
              pointStyleWidth: 24,
              // The legend leaves the dashes out by itself.
              generateLabels: (chart) =>
                Chart.defaults.plugins.legend.labels.generateLabels(chart).map((label, at) => ({
                  ...label,
                  lineDash: gauges[at] === undefined ? [] : dash(gauges[at]),
                })),
            },
          },
        },
      },
    });
  }
}
