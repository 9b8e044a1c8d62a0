import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { RouterLink, RouterLinkActive, RouterOutlet } from '@angular/router';
import { Store } from '@ngrx/store';
import { planPartOf, planParts } from '../shell/places';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { selectFindings } from '../state/selectors';

/** Can this batch work, what will it take, how long: one part for each question. */
@Component({
  selector: 'nm-plan-page',
  imports: [RouterLink, RouterLinkActive, RouterOutlet],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row head">
      <h1 class="visually-hidden">Plan</h1>
      <nav class="row grow" aria-label="Parts of the plan">
        @for (part of parts(); track part.path) {
          <a
            [routerLink]="part.path || '.'"
            routerLinkActive="here"
            [routerLinkActiveOptions]="{ exact: part.path === '' }"
            ariaCurrentWhenActive="page"
            >{{ part.title }}
            @if (part.found > 0) {
              <span class="found" [class.stops]="part.stops"
                >{{ part.found }}<span class="visually-hidden"> found</span></span
              >
            }
          </a>
        }
      </nav>
      <button type="button" class="quiet" [disabled]="!canUndo()" (click)="undo()">Undo</button>
      <button type="button" class="quiet" [disabled]="!canRedo()" (click)="redo()">Redo</button>
    </div>
    <router-outlet />
  `,
  styles: `
    .head {
      margin-bottom: 0.75rem;
      gap: 0 0.375rem;
    }
    nav {
      gap: 0;
      font-size: 0.9375rem;
      flex-basis: 0;
      min-width: min(38rem, 76%);
    }
    .head button {
      padding: 0 0.5rem;
    }
    nav a {
      display: inline-flex;
      align-items: center;
      gap: 0.375rem;
      min-height: 40px;
      padding: 0 0.4375rem;
      color: var(--ink);
      text-decoration: none;
      border-bottom: 4px solid transparent;
      white-space: nowrap;
    }
    nav a:hover {
      background: var(--sunk);
    }
    nav a.here {
      border-bottom-color: var(--ink);
      font-weight: 650;
    }
    .found {
      min-width: 1.375rem;
      padding: 0 0.25rem;
      border: 1px solid var(--line-strong);
      border-radius: 3px;
      font-size: 0.8125rem;
      font-weight: 700;
      line-height: 1.25rem;
      text-align: center;
    }
    .found.stops {
      border: 2px solid var(--clay);
      color: var(--clay);
    }
  `,
})
export class PlanPage {
  private readonly store = inject(Store);
  private readonly past = this.store.selectSignal(batchFeature.selectPast);
  private readonly future = this.store.selectSignal(batchFeature.selectFuture);
  private readonly findings = this.store.selectSignal(selectFindings);
  /** What the checks say about each part, notes left out: they need nobody. */
  protected readonly parts = computed(() => {
    const about = this.findings().filter(({ severity }) => severity !== 'note');
    return planParts.map((part) => {
      const here = about.filter(({ place }) => planPartOf(place) === part.path);
      return { ...part, found: here.length, stops: here.some(({ severity }) => severity === 'stops') };
    });
  });
  protected readonly canUndo = computed(() => this.past().length > 0);
  protected readonly canRedo = computed(() => this.future().length > 0);

  protected undo(): void {
    this.store.dispatch(BatchActions.undone());
  }

  protected redo(): void {
    this.store.dispatch(BatchActions.redone());
  }
}
