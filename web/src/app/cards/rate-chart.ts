import {
  ChangeDetectionStrategy,
  Component,
  effect,
  inject,
  input,
  viewChild,
  type ElementRef,
  DestroyRef,
} from '@angular/core';
import {
  CategoryScale,
  Chart,
  Legend,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
} from 'chart.js';
import { Theme } from '../theme/theme';
import type { RateSample } from './cards.reducer';

Chart.register(CategoryScale, Legend, LinearScale, LineController, LineElement, PointElement);

/** Slots are told apart by dash and point, not by colour alone. */
const strokes: readonly { dash: number[]; point: 'circle' | 'rect' | 'triangle' | 'rectRot' }[] = [
  { dash: [], point: 'circle' },
  { dash: [8, 4], point: 'rect' },
  { dash: [3, 3], point: 'triangle' },
  { dash: [12, 3, 3, 3], point: 'rectRot' },
];

/** Rate of each slot over the round: a slow card shows at a glance. */
@Component({
  selector: 'nm-rate-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" aria-labelledby="rate-title">
      <h2 id="rate-title">Rate by slot</h2>
      <div class="frame">
        <canvas
          #canvas
          role="img"
          [attr.aria-label]="'Rate of each slot in megabytes a second: ' + spoken()"
        ></canvas>
      </div>
    </section>
  `,
  styles: `
    .frame {
      height: 150px;
      position: relative;
    }
  `,
})
export class RateChart {
  readonly bySlot = input.required<Record<string, readonly RateSample[]>>();
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private readonly theme = inject(Theme);
  private chart: Chart | null = null;

  constructor() {
    effect(() => {
      const bySlot = this.bySlot();
      this.theme.dark();
      this.draw(bySlot);
    });
    inject(DestroyRef).onDestroy(() => this.chart?.destroy());
  }

  protected spoken(): string {
    return Object.entries(this.bySlot())
      .map(([slotId, samples]) => `${slotId} ${samples.at(-1)?.rate.toFixed(1) ?? 'nothing yet'}`)
      .join(', ');
  }

  private draw(bySlot: Record<string, readonly RateSample[]>): void {
    const style = getComputedStyle(document.documentElement);
    const ink = style.getPropertyValue('--ink').trim();
    const line = style.getPropertyValue('--line').trim();
    Chart.defaults.font.family = style.getPropertyValue('--text').trim();
    const datasets = Object.entries(bySlot).map(([slotId, samples], index) => {
      const { dash, point } = strokes[index % strokes.length] ?? { dash: [], point: 'circle' };
      const data = samples.map(({ at, rate }) => ({ x: at, y: rate }));
      const label = slotId.replace('slot-', 'Slot ');
      return {
        label,
        data,
        borderColor: ink,
        backgroundColor: ink,
        borderWidth: 2,
        borderDash: dash,
        pointStyle: point,
        pointRadius: data.map((_, at) => (at === data.length - 1 ? 5 : 0)),
      };
    });
    const axis = (text: string): object => ({
      type: 'linear',
      min: 0,
      title: { display: true, text, color: ink },
      ticks: { color: ink },
      grid: { color: line },
    });
    this.chart?.destroy();
    this.chart = new Chart(this.canvas().nativeElement, {
      type: 'line',
      data: { datasets },
      options: {
        animation: false,
        maintainAspectRatio: false,
        scales: { x: axis('seconds since the round began'), y: axis('MB/s') },
        plugins: { legend: { position: 'right', labels: { color: ink, usePointStyle: true } } },
      },
    });
  }
}
