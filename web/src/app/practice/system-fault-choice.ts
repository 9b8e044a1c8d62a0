import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import type { PracticeView } from '@nest-mark/core';
import { PracticeHands } from './practice-hands';
import { systemFaults } from './system-faults';

/** What goes wrong on a practice board once it has started. */
@Component({
  selector: 'nm-system-fault-choice',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <select
      [attr.aria-label]="'What goes wrong on the board of ' + board().nest"
      (change)="hands.spoil(board().nest, $any($event.target).value)"
    >
      <option value="" [selected]="board().spoilt === null">nothing goes wrong</option>
      @for (fault of faults; track fault.id) {
        <option [value]="fault.id" [selected]="fault.id === board().spoilt">{{ fault.label }}</option>
      }
    </select>
  `,
  styles: `
    select {
      width: 100%;
      min-height: 36px;
      padding: 0 0.375rem;
      border: 1px solid var(--line-strong);
      border-radius: 4px;
      background: var(--sheet);
      color: var(--ink);
      font: inherit;
    }
  `,
})
export class SystemFaultChoice {
  protected readonly hands = inject(PracticeHands);
  readonly board = input.required<Pick<PracticeView['boards'][number], 'nest' | 'spoilt'>>();
  protected readonly faults = systemFaults;
}
