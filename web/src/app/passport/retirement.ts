import {
  ChangeDetectionStrategy,
  Component,
  computed,
  inject,
  input,
  linkedSignal,
  signal,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { Problem } from '@nest-mark/core/api';
import { InputText } from 'primeng/inputtext';
import { firstValueFrom } from 'rxjs';
import { asProblem } from '../api/api-problem';
import { HandOverApi } from '../api/hand-over-api';

/** What is destroyed cannot be had back, so it is typed. */
const PHRASE = 'destroy';

/** Why a board was retired, and the end of what this bench knows to get into it. */
@Component({
  selector: 'nm-retirement',
  imports: [FormsModule, InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" aria-label="Its retirement">
      <div class="field grow">
        <label for="retired-why">Why it was retired</label>
        <input
          pInputText
          id="retired-why"
          maxlength="400"
          autocomplete="off"
          [ngModel]="why()"
          (ngModelChange)="why.set($event)"
        />
      </div>
      <button type="button" class="quiet" [disabled]="why().trim() === reason()" (click)="note(false)">
        Note it
      </button>
      @if (gone()) {
        <p class="small grow">Its secrets were destroyed here, {{ gone() }}.</p>
      } @else {
        <div class="field">
          <label for="retired-typed"
            >Type <span class="mono">{{ phrase }}</span></label
          >
          <input
            pInputText
            class="mono"
            id="retired-typed"
            autocomplete="off"
            [ngModel]="typed()"
            (ngModelChange)="typed.set($event)"
          />
        </div>
        <button type="button" class="quiet" [disabled]="!sure()" (click)="note(true)">
          Destroy its secrets
        </button>
        <p class="small soft whole">
          The private half of its host key and its password are destroyed on this bench; its card can then not
          be written again, also when it comes back into the plan.
        </p>
      }
      @if (problem(); as problem) {
        <p class="notice hand whole" role="alert">{{ problem.detail }}</p>
      }
    </section>
  `,
  styles: `
    section {
      display: flex;
      flex-wrap: wrap;
      align-items: flex-end;
      gap: 0.5rem 1rem;
    }
    .whole {
      flex-basis: 100%;
      white-space: normal;
    }
  `,
})
export class Retirement {
  private readonly api = inject(HandOverApi);
  readonly batchId = input.required<string>();
  readonly deviceId = input.required<string>();
  readonly reason = input.required<string>();
  /** When its secrets were destroyed; empty while they were not. */
  readonly gone = input.required<string>();
  protected readonly phrase = PHRASE;
  protected readonly why = linkedSignal(() => this.reason());
  protected readonly typed = signal('');
  protected readonly problem = signal<Problem | null>(null);
  protected readonly sure = computed(() => this.typed().trim().toLowerCase() === PHRASE);

  protected async note(forget: boolean): Promise<void> {
    try {
      await firstValueFrom(
        this.api.closeRetired(this.batchId(), this.deviceId(), this.why().trim(), forget),
        { defaultValue: undefined },
      );
      this.typed.set('');
      this.problem.set(null);
    } catch (error) {
      this.problem.set(asProblem(error));
    }
  }
}
