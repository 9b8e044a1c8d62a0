import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { coloursOf, emptyPlan, nestName, parseNest } from '@nest-mark/core';
import { OpenPassport } from '../shell/open-passport';
import { batchFeature } from '../state/batch.reducer';
import { Clock } from '../state/clock';
import { SelectionActions, selectionFeature } from '../state/selection';
import { selectDeviceViews } from '../state/selectors';
import { deviceAt, deviceCell, type DeviceCell } from './cells';
import { Ring } from './ring';
import { StableRings } from './stable-rings';
import { moved, within, type Place } from './tray-keys';

/** More devices than this are shown as marks only. */
const roomy = 48;
/** How long letters typed one after the other belong together. */
const typingMs = 1200;
/** Pixels that a press may move before it is a drag. */
const slack = 6;

const nothing = emptyPlan('');

/** A place of the tray, with the device in it. */
interface Cell {
  nest: string;
  device: DeviceCell | null;
}

/** The nests as they lie on the bench; the same on every page. */
@Component({
  selector: 'nm-tray',
  imports: [Ring],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './tray.html',
  styleUrl: './tray.css',
})
export class Tray {
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  private readonly passports = inject(OpenPassport);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  private readonly selected = this.store.selectSignal(selectionFeature.selectIds);

  protected readonly tray = computed(() => this.plan()?.tray ?? { rows: 1, columns: 1 });
  /** Colours of the labels, where the plan has any. */
  protected readonly colours = computed(() => coloursOf(this.plan() ?? nothing));
  protected readonly dense = computed(() => this.views().length > roomy);
  protected readonly selectedCount = computed(() => this.selected().length);
  protected readonly typed = signal('');
  protected readonly band = signal<{ left: number; top: number; width: number; height: number } | null>(null);
  private readonly focus = signal<Place>({ row: 0, column: 0 });
  private anchor: Place = { row: 0, column: 0 };
  private typingTimer: ReturnType<typeof setTimeout> | undefined;
  private drag: { x: number; y: number; add: readonly string[] } | null = null;

  protected readonly focusNest = computed(() => nestName(this.focus().row, this.focus().column));

  private readonly rings = new StableRings();
  protected readonly lines = computed((): Cell[][] => {
    const now = this.clock.now();
    const chosen = new Set(this.selected());
    const byNest = new Map(this.views().map((view) => [view.device.nest, view]));
    const { rows, columns } = this.tray();
    return Array.from({ length: rows }, (_, row) =>
      Array.from({ length: columns }, (_, column): Cell => {
        const nest = nestName(row, column);
        const view = byNest.get(nest);
        return { nest, device: view ? deviceCell(view, now, this.rings, chosen) : null };
      }),
    );
  });

  protected readonly summary = computed(() => {
    const count = this.views().length;
    const { rows, columns } = this.tray();
    return `${String(count)} device${count === 1 ? '' : 's'} in ${String(rows)} × ${String(columns)} nests`;
  });

  protected clear(): void {
    this.store.dispatch(SelectionActions.cleared());
  }

  private set(ids: readonly string[]): void {
    this.store.dispatch(SelectionActions.set({ ids: [...ids] }));
  }

  private idsBetween(a: Place, b: Place): string[] {
    return this.views()
      .filter(({ device }) => {
        const place = parseNest(device.nest);
        return place !== null && within(place, a, b);
      })
      .map(({ device }) => device.id);
  }

  private goTo(place: Place): void {
    this.focus.set(place);
    const nest = nestName(place.row, place.column);
    queueMicrotask(() => {
      const cell = this.host.nativeElement.querySelector<HTMLElement>(`[data-nest="${nest}"]`);
      cell?.focus();
      cell?.scrollIntoView({ block: 'nearest' });
    });
  }

  protected onKey(event: KeyboardEvent): void {
    const { rows, columns } = this.tray();
    const to = moved(event.key, this.focus(), rows, columns);
    if (to) {
      if (!event.shiftKey) this.anchor = to;
      this.goTo(to);
      this.set(this.idsBetween(this.anchor, to));
    } else if (event.key === ' ') {
      for (const id of this.idsBetween(this.focus(), this.focus()))
        this.store.dispatch(SelectionActions.toggled({ id }));
    } else if (event.key === 'Enter')
      for (const id of this.idsBetween(this.focus(), this.focus())) this.passports.open(id);
    else if (event.key === 'Escape') this.clear();
    else if (event.key.toLowerCase() === 'a' && (event.ctrlKey || event.metaKey))
      this.set(this.views().map(({ device }) => device.id));
    else if (/^[\w-]$/.test(event.key) && !event.ctrlKey && !event.metaKey && !event.altKey)
      this.type(event.key);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  /** Selects devices whose name or mark holds what was typed. */
  private type(letter: string): void {
    clearTimeout(this.typingTimer);
    this.typingTimer = setTimeout(() => this.typed.set(''), typingMs);
    this.typed.update((before) => before + letter.toLowerCase());
    const text = this.typed();
    const hits = this.views().filter(({ device }) =>
      `${device.hostName} ${device.mark}`.toLowerCase().includes(text),
    );
    const place = hits[0] ? parseNest(hits[0].device.nest) : null;
    if (place) this.goTo(place);
    if (hits.length > 0) this.set(hits.map(({ device }) => device.id));
  }

  protected onDown(event: PointerEvent): void {
    if (event.button !== 0) return;
    const cell = event.target instanceof Element ? event.target.closest<HTMLElement>('[data-nest]') : null;
    const add = event.ctrlKey || event.metaKey ? this.selected() : [];
    // A finger scrolls the tray; only a mouse or pen draws.
    if (event.pointerType !== 'touch') this.drag = { x: event.clientX, y: event.clientY, add };
    const place = cell ? parseNest(cell.dataset['nest'] ?? '') : null;
    if (!place || !cell) return;
    this.focus.set(place);
    cell.focus();
    const id = cell.dataset['device'];
    if (event.shiftKey) this.set(this.idsBetween(this.anchor, place));
    else {
      this.anchor = place;
      if (id === undefined) return;
      if (event.ctrlKey || event.metaKey) this.store.dispatch(SelectionActions.toggled({ id }));
      else this.set([id]);
    }
  }

  protected onDouble(event: MouseEvent): void {
    const id = deviceAt(event);
    if (id !== undefined) this.passports.open(id);
  }

  protected onMove(event: PointerEvent): void {
    if (!this.drag || Math.hypot(event.clientX - this.drag.x, event.clientY - this.drag.y) < slack) return;
    const grid = this.host.nativeElement.querySelector('.grid');
    if (!grid) return;
    const frame = grid.getBoundingClientRect();
    const left = Math.min(event.clientX, this.drag.x);
    const top = Math.min(event.clientY, this.drag.y);
    const right = Math.max(event.clientX, this.drag.x);
    const bottom = Math.max(event.clientY, this.drag.y);
    this.band.set({
      left: left - frame.left + grid.scrollLeft,
      top: top - frame.top + grid.scrollTop,
      width: right - left,
      height: bottom - top,
    });
    const hit = [...grid.querySelectorAll<HTMLElement>('[data-device]')].filter((cell) => {
      const box = cell.getBoundingClientRect();
      return box.left < right && box.right > left && box.top < bottom && box.bottom > top;
    });
    this.set([...this.drag.add, ...hit.flatMap((cell) => cell.dataset['device'] ?? [])]);
  }

  protected onUp(): void {
    this.drag = null;
    this.band.set(null);
  }
}
