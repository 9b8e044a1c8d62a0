import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { TRAY_LIMIT } from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { Field } from '../ui/field';
import { PlanEditor } from './plan-editor';

@Component({
  selector: 'nm-tray-panel',
  imports: [Field, FormsModule, InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" aria-labelledby="tray-panel">
      <h2 id="tray-panel" class="visually-hidden">Batch and tray</h2>
      <nm-field place="name" label="Name of the batch">
        <input
          pInputText
          id="f-name"
          maxlength="80"
          autocomplete="off"
          [ngModel]="plan().name"
          (ngModelChange)="editor.set({ name: $event }, 'name')"
        />
      </nm-field>
      <nm-field place="site" label="Where the devices will work">
        <input
          pInputText
          id="f-site"
          maxlength="80"
          autocomplete="off"
          [ngModel]="plan().site"
          (ngModelChange)="editor.set({ site: $event }, 'site')"
        />
      </nm-field>
      <nm-field place="tray.rows" label="Rows on the bench">
        <input
          pInputText
          id="f-tray.rows"
          type="number"
          min="1"
          [max]="limit.rows"
          [ngModel]="plan().tray.rows"
          (ngModelChange)="resize('rows', $event)"
        />
      </nm-field>
      <nm-field place="tray.columns" label="Columns">
        <input
          pInputText
          id="f-tray.columns"
          type="number"
          min="1"
          [max]="limit.columns"
          [ngModel]="plan().tray.columns"
          (ngModelChange)="resize('columns', $event)"
        />
      </nm-field>
    </section>
  `,
  styles: `
    section {
      display: grid;
      grid-template-columns: 2fr 2fr minmax(8.5rem, 1fr) minmax(6rem, 1fr);
      gap: 0.875rem;
      padding-block: 0.625rem 0.75rem;
    }
  `,
})
export class TrayPanel {
  protected readonly editor = inject(PlanEditor);
  protected readonly plan = this.editor.plan;
  protected readonly limit = TRAY_LIMIT;

  protected resize(side: 'rows' | 'columns', value: number | null): void {
    // A field that is being typed in is empty for a moment.
    if (value === null || !Number.isInteger(value) || value < 1 || value > this.limit[side]) return;
    this.editor.edit((plan) => ({ ...plan, tray: { ...plan.tray, [side]: value } }), `tray.${side}`);
  }
}
