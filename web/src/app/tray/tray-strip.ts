import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { compareNests } from '@nest-mark/core';
import { OpenPassport } from '../shell/open-passport';
import { Clock } from '../state/clock';
import { SelectionActions, selectionFeature } from '../state/selection';
import { selectDeviceViews } from '../state/selectors';
import { deviceAt, deviceCell, type DeviceCell } from './cells';
import { Ring } from './ring';
import { StableRings } from './stable-rings';

/** The tray in one line: how many devices are in each state, and their rings in the order of nests. */
@Component({
  selector: 'nm-tray-strip',
  imports: [Ring],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './tray-strip.html',
  styleUrl: './tray-strip.css',
})
export class TrayStrip {
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  private readonly passports = inject(OpenPassport);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly selected = this.store.selectSignal(selectionFeature.selectIds);
  private readonly rings = new StableRings();
  private readonly at = signal(0);

  protected readonly cells = computed((): DeviceCell[] => {
    const now = this.clock.now();
    const chosen = new Set(this.selected());
    return [...this.views()]
      .sort((a, b) => compareNests(a.device.nest, b.device.nest))
      .map((view) => deviceCell(view, now, this.rings, chosen));
  });
  /** Where the keyboard is; devices may have gone since. */
  protected readonly focus = computed(() => Math.min(this.at(), this.cells().length - 1));
  protected readonly selectedCount = computed(() => this.selected().length);
  /** The commonest state first; what needs a hand stands before it. */
  protected readonly counts = computed(() => {
    const found = new Map<string, { word: string; count: number; hand: boolean }>();
    for (const { words } of this.cells()) {
      const known = found.get(words.word) ?? { word: words.word, count: 0, hand: words.hand };
      found.set(words.word, { ...known, count: known.count + 1 });
    }
    return [...found.values()].sort((a, b) => Number(b.hand) - Number(a.hand) || b.count - a.count);
  });

  protected onDown(event: PointerEvent): void {
    if (event.button !== 0) return;
    const id = deviceAt(event);
    const at = this.cells().findIndex(({ view }) => view.device.id === id);
    const cell = this.cells()[at];
    if (cell) this.choose(cell, at, event.ctrlKey || event.metaKey);
  }

  protected onDouble(event: MouseEvent): void {
    const id = deviceAt(event);
    if (id !== undefined) this.passports.open(id);
  }

  private choose({ view: { device } }: DeviceCell, place: number, add: boolean): void {
    this.at.set(place);
    this.store.dispatch(
      add ? SelectionActions.toggled({ id: device.id }) : SelectionActions.set({ ids: [device.id] }),
    );
  }

  protected clear(): void {
    this.store.dispatch(SelectionActions.cleared());
  }

  protected onKey(event: KeyboardEvent): void {
    const cells = this.cells();
    const here = this.focus();
    const to = { ArrowLeft: here - 1, ArrowRight: here + 1, Home: 0, End: cells.length - 1 }[event.key];
    const next = to === undefined ? undefined : cells[to];
    const now = cells[here];
    if (next && to !== undefined) {
      this.choose(next, to, event.shiftKey && !next.selected);
      this.host.nativeElement.querySelectorAll<HTMLElement>('[role="gridcell"]')[to]?.focus();
    } else if (event.key === ' ' && now) this.choose(now, here, true);
    else if (event.key === 'Enter' && now) this.passports.open(now.view.device.id);
    else if (event.key === 'Escape') this.clear();
    else if (event.key.toLowerCase() === 'a' && (event.ctrlKey || event.metaKey))
      this.store.dispatch(SelectionActions.set({ ids: cells.map(({ view }) => view.device.id) }));
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
}
