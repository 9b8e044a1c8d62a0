import { ChangeDetectionStrategy, Component, computed, effect, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { focusId } from '../ui/focus-field';

/** What a person can begin with, and where that is done. */
const ways = [
  { begin: 'plan', title: 'Boards: I know how many and what they are for' },
  { begin: 'images', title: 'An image file, or its address' },
  { begin: 'this-bench', title: 'A card reader and cards: I want to see that it works' },
  { begin: 'guide', title: 'Nothing yet: show me the way, I practise first' },
] as const;

/** Opens the first batch; where there is none, says what to do first. */
@Component({
  selector: 'nm-home',
  imports: [Button, FormsModule, InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (empty() || making()) {
      <main class="sheet">
        <h1>Nothing on the bench yet</h1>
        <p>
          A batch is a set of boards that you prepare together: one plan, one tray, a card and a label for
          each.
        </p>
        <form class="field" (ngSubmit)="make()">
          <label for="first-batch">What are these devices called together?</label>
          <input
            pInputText
            id="first-batch"
            name="name"
            maxlength="80"
            autocomplete="off"
            [ngModel]="name()"
            (ngModelChange)="name.set($event); nothing.set(false)"
          />
          <fieldset>
            <legend class="label">What is at hand?</legend>
            @for (way of ways; track way.begin) {
              <label
                ><input
                  type="radio"
                  name="begin"
                  [checked]="begin() === way.begin"
                  (change)="begin.set(way.begin)"
                />
                {{ way.title }}</label
              >
            }
          </fieldset>
          <p-button type="submit" label="Make the first batch" />
          @if (nothing()) {
            <p class="notice hand" role="alert">Type a name for them first.</p>
          }
        </form>
      </main>
    } @else {
      <main class="sheet" aria-busy="true"><p>Looking for your batches…</p></main>
    }
  `,
  styles: `
    main {
      max-width: 34rem;
      margin: 10vh auto;
      display: flex;
      flex-direction: column;
      gap: 1rem;
      padding: 2rem;
    }
    form {
      gap: 0.75rem;
    }
    fieldset {
      border: 0;
      margin: 0;
      padding: 0;
      display: flex;
      flex-direction: column;
    }
    label {
      display: flex;
      align-items: center;
      gap: 0.625rem;
      min-height: 40px;
    }
  `,
})
export class Home {
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly list = this.store.selectSignal(batchFeature.selectList);
  protected readonly empty = computed(() => this.list()?.length === 0);
  protected readonly name = signal('');
  protected readonly nothing = signal(false);
  /** Set once the first batch was asked for: who made it goes where they chose, not to what the list shows. */
  protected readonly making = signal(false);
  protected readonly ways = ways;
  protected readonly begin = signal<(typeof ways)[number]['begin']>('plan');

  constructor() {
    this.store.dispatch(BatchActions.listAsked());
    effect(() => {
      const first = this.list()?.[0];
      if (this.empty()) focusId('first-batch');
      if (first && !this.making())
        void this.router.navigate(['/batch', first.id, 'plan'], { replaceUrl: true });
    });
  }

  protected make(): void {
    const name = this.name().trim();
    // Asked here and not by locking the button: Enter right after a paste would find it locked still.
    this.nothing.set(name === '');
    if (name === '') return;
    this.making.set(true);
    this.store.dispatch(BatchActions.newWanted({ name, begin: this.begin() }));
  }
}
