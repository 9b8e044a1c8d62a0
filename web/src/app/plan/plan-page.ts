import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { RouterLink, RouterLinkActive, RouterOutlet } from '@angular/router';
import { Store } from '@ngrx/store';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';

const parts = [
  { path: '.', title: 'Devices & settings', exact: true },
  { path: 'power', title: 'Power', exact: false },
  { path: 'kit', title: 'Kit', exact: false },
  { path: 'time', title: 'Time', exact: false },
  { path: 'card-files', title: 'On the card', exact: false },
  { path: 'file', title: 'File', exact: false },
] as const;

/** Can this batch work, what will it take, how long: one part for each question. */
@Component({
  selector: 'nm-plan-page',
  imports: [RouterLink, RouterLinkActive, RouterOutlet],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row head">
      <h1>Plan</h1>
      <nav class="row grow" aria-label="Parts of the plan">
        @for (part of parts; track part.path) {
          <a
            [routerLink]="part.path"
            routerLinkActive="here"
            [routerLinkActiveOptions]="{ exact: part.exact }"
            ariaCurrentWhenActive="page"
            >{{ part.title }}</a
          >
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
      flex-wrap: nowrap;
    }
    nav {
      gap: 0;
      flex-wrap: nowrap;
    }
    nav a {
      display: inline-flex;
      align-items: center;
      min-height: 40px;
      padding: 0 0.75rem;
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
  `,
})
export class PlanPage {
  private readonly store = inject(Store);
  private readonly past = this.store.selectSignal(batchFeature.selectPast);
  private readonly future = this.store.selectSignal(batchFeature.selectFuture);
  protected readonly parts = parts;
  protected readonly canUndo = computed(() => this.past().length > 0);
  protected readonly canRedo = computed(() => this.future().length > 0);

  protected undo(): void {
    this.store.dispatch(BatchActions.undone());
  }

  protected redo(): void {
    this.store.dispatch(BatchActions.redone());
  }
}
