import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { Arc } from '@nest-mark/core';
import { arcPath, notchPath } from './arc-path';

/** The sign of a device: five arcs, one for each stage. What it says stands in words beside it. */
@Component({
  selector: 'nm-ring',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { 'aria-hidden': 'true' },
  template: `
    <svg viewBox="0 0 64 64" [attr.width]="size()" [attr.height]="size()">
      @for (arc of drawn(); track $index) {
        <path class="thin" [attr.d]="arc.whole" />
        @switch (arc.mode) {
          @case ('solid') {
            <path class="solid" [attr.d]="arc.whole" />
          }
          @case ('hatched') {
            <path class="hatched" [attr.d]="arc.done" />
          }
          @case ('notched') {
            <path class="hand" [attr.d]="arc.before" />
            <path class="hand" [attr.d]="arc.after" />
            <path class="wedge" [attr.d]="arc.notch" />
          }
        }
      }
      @if (mark()) {
        <text x="32" y="32" dominant-baseline="central" text-anchor="middle">{{ mark() }}</text>
      }
    </svg>
  `,
  styles: `
    :host {
      display: inline-flex;
      flex: none;
    }
    path {
      fill: none;
    }
    .thin {
      stroke: var(--line-strong);
      stroke-width: 1.3px;
      vector-effect: non-scaling-stroke;
    }
    .solid {
      stroke: var(--marsh);
      stroke-width: 6;
    }
    .hatched {
      stroke: var(--ink);
      stroke-width: 6;
      stroke-dasharray: 2.2 2;
    }
    .hand {
      stroke: var(--clay);
      stroke-width: 6;
    }
    .wedge {
      fill: var(--clay);
    }
    text {
      font-family: var(--mono);
      font-size: 12.5px;
      font-weight: 600;
      fill: var(--ink);
    }
  `,
})
export class Ring {
  readonly arcs = input.required<readonly Arc[]>();
  readonly size = input(56);
  readonly mark = input('');

  protected readonly drawn = computed(() =>
    this.arcs().map((arc, index) => ({
      mode: arc.mode,
      whole: arcPath(index),
      // A little is shown from the start, so that work is seen to have begun.
      done: arcPath(index, 0, Math.max(0.12, arc.share)),
      before: arcPath(index, 0, 0.3),
      after: arcPath(index, 0.7, 1),
      notch: notchPath(index),
    })),
  );
}
