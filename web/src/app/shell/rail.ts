import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';
import { Store } from '@ngrx/store';
import { deviceStanding, stageCounts, type Stage } from '@nest-mark/core';
import { Clock } from '../state/clock';
import { selectDeviceViews } from '../state/selectors';
import { selectPractice } from '../state/station.reducer';

const stageLinks: readonly { stage: Stage; path: string; title: string }[] = [
  { stage: 'plan', path: 'plan', title: 'Plan' },
  { stage: 'cards', path: 'cards', title: 'Cards' },
  { stage: 'boot', path: 'boot', title: 'Boot & find' },
  { stage: 'bringUp', path: 'bring-up', title: 'Bring up' },
  { stage: 'handOver', path: 'hand-over', title: 'Hand over' },
];

const shelves = [
  { path: 'move', title: 'Move' },
  { path: 'field', title: 'Field' },
  { path: 'signal', title: 'Signal' },
  { path: 'images', title: 'Images' },
  { path: 'methods', title: 'First-boot methods' },
  { path: 'card-check', title: 'Card check' },
  { path: 'card-records', title: 'Card records' },
  { path: 'networks', title: 'Networks' },
  { path: 'boards', title: 'Boards' },
  { path: 'this-bench', title: 'This bench' },
  { path: 'log', title: 'Log' },
  { path: 'practice', title: 'Practice bench' },
  { path: 'guide', title: 'Guide' },
] as const;

/** The stages in working order with what waits there, and the shelves. */
@Component({
  selector: 'nm-rail',
  imports: [RouterLink, RouterLinkActive],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <nav aria-label="Stages and shelves">
      @for (entry of entries(); track entry.path) {
        <a [routerLink]="entry.path" routerLinkActive="here" ariaCurrentWhenActive="page">
          <span class="title">{{ entry.title }}</span>
          <span class="counts small">
            <span>{{ entry.waiting }} {{ entry.waiting === 1 ? 'waits' : 'wait' }}</span>
            @if (entry.hand > 0) {
              <strong class="clay">{{ entry.hand }} your turn</strong>
            }
          </span>
        </a>
      }
      <hr />
      @for (shelf of shelves(); track shelf.path) {
        <a class="shelf" [routerLink]="shelf.path" routerLinkActive="here" ariaCurrentWhenActive="page">{{
          shelf.title
        }}</a>
      }
    </nav>
  `,
  styles: `
    :host {
      border-right: 1px solid var(--line-strong);
      overflow: auto;
      background: var(--paper);
    }
    nav {
      display: flex;
      flex-direction: column;
      padding: 0.25rem 0;
    }
    a {
      display: flex;
      flex-direction: column;
      gap: 0.125rem;
      padding: 0.5rem 0.75rem 0.375rem 1rem;
      border-left: 6px solid transparent;
      color: var(--ink);
      text-decoration: none;
    }
    a:hover {
      background: var(--sunk);
    }
    a.here {
      border-left-color: var(--ink);
      background: var(--sheet);
    }
    .title {
      font-weight: 650;
      font-size: 1.0625rem;
    }
    .counts {
      display: flex;
      flex-wrap: wrap;
      gap: 0 0.5rem;
      color: var(--ink-soft);
      line-height: 1.25;
    }
    .shelf {
      min-height: 40px;
      justify-content: center;
      padding-block: 0.375rem;
    }
    hr {
      width: calc(100% - 2rem);
      border: 0;
      border-top: 1px solid var(--line);
      margin: 0.25rem 1rem;
    }
    @media (max-width: 47.5em) {
      :host {
        border-right: 0;
        border-bottom: 1px solid var(--line-strong);
        overflow: auto hidden;
      }
      nav {
        flex-direction: row;
        padding: 0;
        width: max-content;
      }
      a {
        min-height: 44px;
        justify-content: center;
        padding: 0.25rem 0.75rem;
        border-left: 0;
        border-bottom: 4px solid transparent;
        white-space: nowrap;
      }
      a.here {
        border-bottom-color: var(--ink);
      }
      .counts,
      hr {
        display: none;
      }
    }
  `,
})
export class Rail {
  private readonly views = inject(Store).selectSignal(selectDeviceViews);
  private readonly clock = inject(Clock);
  private readonly practice = inject(Store).selectSignal(selectPractice);
  /** The practice bench is not told of where it was put away. */
  protected readonly shelves = computed(() =>
    shelves.filter(({ path }) => path !== 'practice' || this.practice()),
  );
  protected readonly entries = computed(() => {
    const now = this.clock.now();
    const counts = stageCounts(this.views().map((view) => deviceStanding(view.facts, now)));
    return stageLinks.map((link) => ({ ...link, ...counts[link.stage] }));
  });
}
