import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import type { Drawn, Page } from '@nest-mark/core';

/** The shipped type, as the page has it. */
const families = {
  plain: "'Atkinson Hyperlegible Next Variable', sans-serif",
  bold: "'Atkinson Hyperlegible Next Variable', sans-serif",
  mono: "'Atkinson Hyperlegible Mono Variable', monospace",
} as const;
const weights = { plain: 400, bold: 700, mono: 500 } as const;

/** One page of paper as it will be printed, in mm; its letters are the browser's, so it has those of every script. */
@Component({
  selector: 'nm-drawn-page',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <svg
      xmlns="http://www.w3.org/2000/svg"
      role="img"
      [attr.aria-label]="label()"
      [attr.viewBox]="'0 0 ' + page().width + ' ' + page().height"
      [attr.width]="page().width + 'mm'"
      [attr.height]="page().height + 'mm'"
    >
      <rect x="0" y="0" [attr.width]="page().width" [attr.height]="page().height" fill="#ffffff" />
      @for (one of items(); track $index) {
        @switch (one.kind) {
          @case ('text') {
            <text
              [attr.x]="one.x"
              [attr.y]="one.y"
              [attr.font-size]="one.size"
              [attr.fill]="one.ink"
              [attr.text-anchor]="one.anchor"
              [style.font-family]="families[one.face]"
              [style.font-weight]="weights[one.face]"
            >
              {{ one.text }}
            </text>
          }
          @case ('box') {
            <rect
              [attr.x]="one.x"
              [attr.y]="one.y"
              [attr.width]="one.width"
              [attr.height]="one.height"
              [attr.fill]="one.fill ?? 'none'"
              [attr.stroke]="one.line > 0 ? '#000000' : 'none'"
              [attr.stroke-width]="one.line"
            />
          }
          @case ('fold') {
            <line
              [attr.x1]="one.x"
              [attr.x2]="one.x + one.width"
              [attr.y1]="one.y"
              [attr.y2]="one.y"
              stroke="#666666"
              stroke-width="0.15"
              stroke-dasharray="1 1"
            />
          }
          @case ('pattern') {
            <path
              [attr.d]="one.path"
              [attr.transform]="
                'translate(' + one.x + ' ' + one.y + ') scale(' + one.size / one.modules + ')'
              "
              fill="#000000"
              shape-rendering="crispEdges"
            />
          }
        }
      }
      @for (place of places(); track $index) {
        <rect
          class="place"
          [class.used]="place.used"
          [attr.x]="place.x"
          [attr.y]="place.y"
          [attr.width]="place.width"
          [attr.height]="place.height"
          fill="none"
          stroke="#8d8571"
          stroke-width="0.2"
          stroke-dasharray="0.8 0.8"
        />
      }
    </svg>
  `,
  host: { '(click)': 'pick($event)' },
  styles: `
    svg {
      display: block;
      max-width: 100%;
      height: auto;
    }
    .used {
      fill: #8d857140;
    }
  `,
})
export class DrawnPage {
  readonly page = input.required<Page>();
  readonly label = input('');
  /** Outlines that are not printed: places of labels, and whether each is used already. */
  readonly places = input<readonly { x: number; y: number; width: number; height: number; used: boolean }[]>(
    [],
  );
  /** Where it was clicked, in mm. */
  readonly picked = output<{ x: number; y: number }>();
  protected readonly families = families;
  protected readonly weights = weights;
  protected readonly items = computed((): readonly Drawn[] => this.page().drawn);

  protected pick(event: MouseEvent): void {
    const drawn = (event.currentTarget as HTMLElement).querySelector('svg');
    if (!drawn) return;
    const box = drawn.getBoundingClientRect();
    const { width, height } = this.page();
    this.picked.emit({
      x: ((event.clientX - box.left) / box.width) * width,
      y: ((event.clientY - box.top) / box.height) * height,
    });
  }
}
