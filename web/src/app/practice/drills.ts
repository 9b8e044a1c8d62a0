import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { DrillCauseSchema, type DrillCause } from '@nest-mark/core/api';
import { causes } from '@nest-mark/core/find';
import { Button } from 'primeng/button';
import { Select } from 'primeng/select';
import { batchFeature } from '../state/batch.reducer';
import { PracticeHands } from './practice-hands';

/** Drills: the practice bench hides a fault, and a person finds it. */
@Component({
  selector: 'nm-drills',
  imports: [Button, FormsModule, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" aria-labelledby="drills-title">
      <h2 id="drills-title">Drills</h2>
      @if (hands.drilling()) {
        <p>
          A drill is under way: its boards and its air are covered until it is over. Look under Boot &amp;
          find what is missing, and why.
        </p>
        <div class="row">
          <p-button label="Go to Boot & find" (onClick)="go()" />
          <p-button
            label="Give it up"
            severity="secondary"
            [outlined]="true"
            (onClick)="hands.act({ do: 'endDrill' })"
          />
        </div>
      } @else {
        <p class="small">
          Hides one fault among the boards of this batch and powers them; you find it by looking. Their cards
          have to be written.
        </p>
        <form class="row" (ngSubmit)="begin()">
          <div class="field">
            <label id="drill-label" for="drill-fault">Which fault</label>
            <p-select
              inputId="drill-fault"
              ariaLabelledBy="drill-label"
              [options]="choices"
              optionLabel="label"
              optionValue="id"
              name="fault"
              [ngModel]="chosen()"
              (ngModelChange)="chosen.set($event)"
            />
          </div>
          <p-button type="submit" label="Begin a drill" />
        </form>
      }
    </section>
  `,
  styles: `
    section {
      display: flex;
      flex-direction: column;
      gap: 0.625rem;
    }
    form {
      align-items: end;
    }
    .field {
      flex: 1 1 20rem;
      max-width: 40rem;
    }
  `,
})
export class Drills {
  private readonly router = inject(Router);
  private readonly batchId = inject(Store).selectSignal(batchFeature.selectId);
  protected readonly hands = inject(PracticeHands);
  protected readonly chosen = signal<DrillCause | 'any'>('any');
  protected readonly choices = [
    { id: 'any', label: 'Any of them, and do not tell me' },
    ...DrillCauseSchema.options.map((id) => ({ id, label: causes[id].title })),
  ];

  protected begin(): void {
    const batchId = this.batchId();
    const chosen = this.chosen();
    if (batchId !== null) this.hands.act({ do: 'drill', batchId, cause: chosen === 'any' ? null : chosen });
  }

  protected go(): void {
    void this.router.navigate(['/batch', this.batchId(), 'boot']);
  }
}
