import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import type { DrillView } from '@nest-mark/core/api';
import { causes, checks } from '@nest-mark/core/find';
import { PracticeHands } from '../practice/practice-hands';

const minutesText = (minutes: number): string => `${String(Math.round(minutes * 10) / 10)} min`;

/** How a drill stands: what has passed, and in the end what it was and how quickly it could be found. */
@Component({
  selector: 'nm-drill-strip',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="strip" role="status">
      @if (drill().outcome === 'open') {
        <p>
          <strong>Drill.</strong> A fault is hidden among these boards. {{ passed() }} since power-on,
          {{ looks() }}.
          @if (vain(); as vain) {
            Mended in vain: {{ vain }}.
          }
        </p>
        <button type="button" class="quiet" (click)="end()">Give it up</button>
      } @else {
        <p>
          <strong>{{ drill().outcome === 'found' ? 'Found.' : 'Given up.' }}</strong>
          {{ cause() }} {{ passed() }} since power-on, {{ looks() }}.
          @if (way(); as way) {
            <br />By the advice alone: {{ way }}.
          }
        </p>
        <button type="button" class="quiet" (click)="end()">Done</button>
      }
    </div>
  `,
  styles: `
    .strip {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      justify-content: space-between;
      gap: 0.5rem 1rem;
      border: 3px double var(--line-strong);
      background: var(--sunk);
      padding: 0.5rem 0.875rem;
    }
    p {
      flex: 1 1 24rem;
    }
  `,
})
export class DrillStrip {
  private readonly hands = inject(PracticeHands);
  readonly drill = input.required<DrillView>();
  protected readonly passed = computed(() => minutesText(this.drill().minutes));
  protected readonly looks = computed(() => {
    const count = this.drill().looks.length;
    return count === 1 ? '1 look' : `${String(count)} looks`;
  });
  protected readonly vain = computed(() =>
    this.drill()
      .inVain.map((cause) => causes[cause].title)
      .join('; '),
  );
  protected readonly cause = computed(() => {
    const { cause, nest } = this.drill();
    if (cause === null) return '';
    const { title, reach } = causes[cause];
    return reach === 'board'
      ? `${nest ?? ''}: ${title}.`
      : `${title.charAt(0).toUpperCase()}${title.slice(1)}.`;
  });
  /** What following the advice would have taken. */
  protected readonly way = computed(() => {
    const { way } = this.drill();
    if (!way) return '';
    const minutes = way.reduce((sum, check) => sum + checks[check].minutes, 0);
    return way.length === 0
      ? 'no look at all, what was heard was enough'
      : `${way.length === 1 ? '1 look' : `${String(way.length)} looks`} in ${minutesText(minutes)}`;
  });

  protected end(): void {
    this.hands.act({ do: 'endDrill' });
  }
}
