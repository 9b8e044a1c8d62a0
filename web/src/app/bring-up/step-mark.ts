import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { CellMode } from './step-words';

/** A step's state as a shape: a ring that is open, in part, whole, or broken where a hand is needed. */
@Component({
  selector: 'nm-step-mark',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <svg viewBox="0 0 16 16" width="16" height="16" aria-hidden="true" [attr.class]="mode()">
      <circle class="ground" cx="8" cy="8" r="5.5" />
      @if (mode() !== 'open') {
        <circle
          class="arc"
          cx="8"
          cy="8"
          r="5.5"
          [attr.stroke-dasharray]="dashes()"
          transform="rotate(-90 8 8)"
        />
      }
    </svg>
  `,
  styles: `
    :host {
      display: inline-flex;
      flex: none;
    }
    circle {
      fill: none;
      stroke-width: 3;
    }
    .ground {
      stroke: var(--line);
    }
    .arc {
      stroke: var(--marsh);
    }
    .notched .arc {
      stroke: var(--clay);
      stroke-width: 4;
    }
    .hatched .arc {
      stroke: var(--ink-soft);
    }
  `,
})
export class StepMark {
  readonly mode = input.required<CellMode>();
  /** 0 to 1, while it is in part. */
  readonly share = input(0.5);
  protected readonly dashes = computed(() => {
    const whole = 2 * Math.PI * 5.5;
    if (this.mode() === 'solid') return null;
    if (this.mode() === 'notched') return `${String(whole * 0.68)} ${String(whole)}`;
    const part = Math.max(0.08, Math.min(1, this.share()));
    return `${String(whole * part)} ${String(whole)}`;
  });
}
