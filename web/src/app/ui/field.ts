import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { Store } from '@ngrx/store';
import { selectFindings } from '../state/selectors';
import { fieldId } from './focus-field';

/** A control of the plan with its label, and below it what the checks say about it. */
@Component({
  selector: 'nm-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="field">
      <label [id]="id() + '-label'" [attr.for]="id()">{{ label() }}</label>
      <ng-content />
      @if (hint() && found().length === 0) {
        <span class="small soft">{{ hint() }}</span>
      }
      @for (finding of found(); track finding.message) {
        <span class="small" [class.clay]="finding.severity !== 'note'">{{ finding.message }}</span>
      }
    </div>
  `,
  styles: `
    :host {
      display: block;
      min-width: 0;
    }
  `,
})
export class Field {
  private readonly findings = inject(Store).selectSignal(selectFindings);
  readonly label = input.required<string>();
  /** Place in the plan, as findings name it. */
  readonly place = input.required<string>();
  /** The network whose field it is, if it is one's. */
  readonly owner = input<string>();
  readonly hint = input('');
  protected readonly id = computed(() => fieldId(this.place(), this.owner()));
  protected readonly found = computed(() =>
    this.findings().filter(
      ({ place, deviceId, networkId }) =>
        place === this.place() && deviceId === undefined && networkId === this.owner(),
    ),
  );
}
