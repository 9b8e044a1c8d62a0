import { ChangeDetectionStrategy, Component } from '@angular/core';
import { planRules } from '@nest-mark/core';

/** Every check with its reason and its source, from the same list that runs. */
@Component({
  selector: 'nm-checks-page',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h1>What is checked, and why</h1>
    <p class="soft">
      These {{ rules.length }} checks run at each keystroke, and once more before a card is erased.
    </p>
    @for (rule of rules; track rule.id) {
      <article class="sheet" [id]="rule.id">
        <h2>{{ rule.title }}</h2>
        <p>{{ rule.why }}</p>
        <p class="small soft">Source: {{ rule.source }}</p>
      </article>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 0.75rem;
    }
    article {
      display: flex;
      flex-direction: column;
      gap: 0.25rem;
    }
  `,
})
export class ChecksPage {
  protected readonly rules = planRules;
}
