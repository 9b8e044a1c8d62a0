import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { Store } from '@ngrx/store';
import { MendFinding } from '../state/mend-finding';
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
      @for (entry of found(); track entry.finding.message) {
        <span class="small" [class.clay]="entry.finding.severity !== 'note'"
          >{{ entry.finding.message }}
          @if (entry.fix; as fix) {
            <button type="button" (click)="mending.mend(fix)">{{ fix.label }}</button>
          }
        </span>
      }
    </div>
  `,
  styles: `
    :host {
      display: block;
      min-width: 0;
    }
    button {
      min-height: 32px;
      margin-top: 0.25rem;
      padding: 0 0.625rem;
      background: var(--sheet);
      color: var(--ink);
      border: 1px solid var(--line-strong);
      border-radius: 4px;
      cursor: pointer;
    }
  `,
})
export class Field {
  private readonly findings = inject(Store).selectSignal(selectFindings);
  protected readonly mending = inject(MendFinding);
  readonly label = input.required<string>();
  /** Place in the plan, as findings name it. */
  readonly place = input.required<string>();
  /** The network whose field it is, if it is one's. */
  readonly owner = input<string>();
  readonly hint = input('');
  protected readonly id = computed(() => fieldId(this.place(), this.owner()));
  protected readonly found = computed(() =>
    this.findings()
      .filter(
        ({ place, deviceId, networkId }) =>
          place === this.place() && deviceId === undefined && networkId === this.owner(),
      )
      .map((finding) => ({ finding, fix: this.mending.fixOf(finding) })),
  );
}
