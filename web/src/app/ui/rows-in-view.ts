import {
  computed,
  DestroyRef,
  Directive,
  ElementRef,
  inject,
  input,
  signal,
  type OnInit,
} from '@angular/core';

/** Up to so many rows are all drawn. */
const ALL_UP_TO = 60;
/** Rows that are drawn above and below what is seen; the drawn part moves on by as many. */
const AROUND = 12;
/** Asks for the row of an id to be brought into view, where only some are drawn. */
const WANTED = 'nm-row-wanted';

interface Identified {
  readonly id: string;
}

/** Asks the lists of the page to draw the row of an id. */
export const wantRow = (id: string): boolean =>
  document.dispatchEvent(new CustomEvent<string>(WANTED, { detail: id }));

/**
 * The rows of a long table that are near what is seen: only they are drawn, and the page scrolls as one. For the
 * `tbody`; rows above and below are one empty row each, of the height that they would have.
 */
@Directive({ selector: '[nmRowsInView]', exportAs: 'rowsInView' })
export class RowsInView<Row extends Identified> implements OnInit {
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly destroyed = inject(DestroyRef);
  readonly all = input.required<readonly Row[]>({ alias: 'nmRowsInView' });
  /** Height of every row in CSS pixels. */
  readonly rowHeight = input.required<number>();
  /** The rows that are on the screen, from the first one that is drawn. */
  private readonly at = signal({ from: 0, count: ALL_UP_TO });
  private readonly part = computed(() => {
    const { length } = this.all();
    if (length <= ALL_UP_TO) return { from: 0, to: length };
    const { from, count } = this.at();
    const first = Math.max(0, Math.min(from, length - count));
    return { from: first, to: Math.min(length, first + count) };
  });
  readonly rows = computed(() => this.all().slice(this.part().from, this.part().to));
  /** Place of the first drawn row among all. */
  readonly from = computed(() => this.part().from);
  readonly above = computed(() => this.part().from * this.rowHeight());
  readonly below = computed(() => (this.all().length - this.part().to) * this.rowHeight());

  ngOnInit(): void {
    const scroller = this.element.closest('main');
    if (!scroller) return;
    const look = (): void => this.look(scroller);
    const wanted = (event: Event): void => this.bring(scroller, (event as CustomEvent<string>).detail);
    scroller.addEventListener('scroll', look, { passive: true });
    document.addEventListener(WANTED, wanted);
    const resized = typeof ResizeObserver === 'undefined' ? null : new ResizeObserver(look);
    resized?.observe(scroller);
    this.destroyed.onDestroy(() => {
      scroller.removeEventListener('scroll', look);
      document.removeEventListener(WANTED, wanted);
      resized?.disconnect();
    });
  }

  private look(scroller: HTMLElement): void {
    const seen = scroller.clientHeight;
    if (seen === 0) return;
    const hidden = scroller.getBoundingClientRect().top - this.element.getBoundingClientRect().top;
    const first = Math.max(0, Math.floor(hidden / this.rowHeight() / AROUND) - 1) * AROUND;
    const count = Math.ceil(seen / this.rowHeight()) + 4 * AROUND;
    const { from, count: before } = this.at();
    if (from !== first || before !== count) this.at.set({ from: first, count });
  }

  private bring(scroller: HTMLElement, id: string): void {
    const index = this.all().findIndex((row) => row.id === id);
    if (index < 0) return;
    const top = this.element.getBoundingClientRect().top - scroller.getBoundingClientRect().top;
    scroller.scrollTop += top + index * this.rowHeight() - scroller.clientHeight / 2;
    this.look(scroller);
  }
}
