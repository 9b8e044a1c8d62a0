import { ChangeDetectionStrategy, Component } from '@angular/core';
import { RouterLink } from '@angular/router';
import { guide } from '@nest-mark/core/guide';

/** From an unopened box to the handed-over board, in the order of the work. */
@Component({
  selector: 'nm-guide-page',
  imports: [RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <h1>Guide</h1>
    <p class="soft">
      From an unopened box to the handed-over board, in the order of the work. Local rules on power and radio
      go before anything said here.
    </p>
    @for (part of guide; track part.id) {
      <section class="sheet" [attr.aria-labelledby]="'guide-' + part.id">
        <div class="row">
          <h2 class="grow" [id]="'guide-' + part.id">{{ $index + 1 }}. {{ part.title }}</h2>
          @if (part.view !== null) {
            <a class="quiet" [routerLink]="'../' + part.view" [attr.aria-label]="'Go there: ' + part.title"
              >Go there</a
            >
          }
        </div>
        <ul>
          @for (step of part.steps; track step.do) {
            <li>
              {{ step.do }}
              @if (step.why) {
                <span class="soft small">{{ step.why }}</span>
              }
            </li>
          }
        </ul>
      </section>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 0.75rem;
      max-width: 56rem;
    }
    ul {
      margin: 0;
      padding-left: 1.25rem;
    }
    li {
      margin-top: 0.375rem;
    }
    li span {
      display: block;
    }
  `,
})
export class GuidePage {
  protected readonly guide = guide;
}
