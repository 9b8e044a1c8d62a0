import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { Store } from '@ngrx/store';
import type { TripCheck } from '@nest-mark/core/api';
import { FieldActions } from './field.reducer';

/** One list: what the bench knows has a shape, the rest is ticked by hand. */
@Component({
  selector: 'nm-check-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  styleUrls: ['../ui/sheets.css', './field.css'],
  template: `
    <section class="sheet stack" [attr.aria-label]="title()">
      <div class="row">
        <h2 class="grow">{{ title() }}</h2>
        <span class="soft">{{ done() }} of {{ checks().length }}</span>
      </div>
      <ul class="list">
        @for (check of checks(); track check.id) {
          <li [attr.data-check]="check.id" [attr.data-done]="check.done">
            @if (check.by === 'hand') {
              <label class="line"
                ><input
                  type="checkbox"
                  [checked]="check.done"
                  (change)="tick(check, $any($event.target).checked)"
                /><span
                  >{{ check.text }}
                  @if (check.why) {
                    <span class="small soft told">{{ check.why }}</span>
                  }
                </span></label
              >
            } @else {
              <span class="line"
                ><span class="sign" [class]="check.done ? 'well' : 'wait'" aria-hidden="true"></span
                ><span
                  >{{ check.text }}<span class="visually-hidden">: {{ check.done ? 'yes' : 'not yet' }}</span>
                  @if (check.why) {
                    <span class="small soft told">{{ check.why }}</span>
                  }
                </span></span
              >
            }
          </li>
        }
      </ul>
    </section>
  `,
})
export class CheckList {
  private readonly store = inject(Store);
  readonly title = input.required<string>();
  readonly checks = input.required<readonly TripCheck[]>();
  protected readonly done = computed(() => this.checks().filter(({ done }) => done).length);

  protected tick({ id }: TripCheck, ticked: boolean): void {
    this.store.dispatch(FieldActions.ticked({ check: id, ticked }));
  }
}
