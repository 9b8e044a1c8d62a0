import { computed, inject, Injectable, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { NavigationEnd, Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { filter, map } from 'rxjs';
import { selectDevices } from '../state/selectors';
import { usualRoom, type Room, type TraySize } from './rooms';

const storageKey = 'nest-mark-rooms';
const sizes: readonly TraySize[] = ['open', 'strip', 'away'];

/** What a person chose for some views, as the browser kept it; whatever else stands there is nothing. */
function kept(): Record<string, Partial<Room>> {
  try {
    const known: unknown = JSON.parse(localStorage.getItem(storageKey) ?? '{}');
    if (typeof known !== 'object' || known === null) return {};
    return Object.fromEntries(
      Object.entries(known).map(([view, room]: [string, Partial<Record<keyof Room, unknown>> | null]) => {
        const tray = sizes.find((size) => size === room?.tray);
        const column = room?.column;
        return [view, { ...(tray ? { tray } : {}), ...(typeof column === 'boolean' ? { column } : {}) }];
      }),
    );
  } catch {
    return {};
  }
}

/** Views of one thing each, which are all alike to a person. */
const oneOfMany = ['device', 'card-records'];

/** `/batch/ID/plan/power?x` is the view `plan/power`, `/batch/ID/device/ID` the view `device`. */
export function viewOf(url: string): string {
  const parts = (url.split(/[?#]/)[0] ?? '').split('/').slice(3);
  const [stage = ''] = parts;
  return oneOfMany.includes(stage) ? stage : parts.join('/');
}

/** How much room the tray and the column take beside a view's work; remembered for each view. */
@Injectable({ providedIn: 'root' })
export class Layout {
  private readonly router = inject(Router);
  private readonly devices = inject(Store).selectSignal(selectDevices);
  private readonly chosen = signal(kept());

  readonly view = toSignal(
    this.router.events.pipe(
      filter((event) => event instanceof NavigationEnd),
      map(({ urlAfterRedirects }) => viewOf(urlAfterRedirects)),
    ),
    { initialValue: viewOf(this.router.url) },
  );
  readonly room = computed((): Room => ({
    ...usualRoom(this.view(), this.devices().length),
    ...this.chosen()[this.view()],
  }));

  /** Whether the practice bench's hands are up, at whatever stage. */
  readonly dock = signal(false);

  turnDock(): void {
    this.dock.update((open) => !open);
  }

  /** From open to a strip, from there away, and open again. */
  nextTray(): void {
    const at = sizes.indexOf(this.room().tray);
    this.change({ tray: sizes[(at + 1) % sizes.length] ?? 'open' });
  }

  turnColumn(): void {
    this.change({ column: !this.room().column });
  }

  private change(change: Partial<Room>): void {
    const view = this.view();
    this.chosen.update((all) => ({ ...all, [view]: { ...all[view], ...change } }));
    localStorage.setItem(storageKey, JSON.stringify(this.chosen()));
  }
}
