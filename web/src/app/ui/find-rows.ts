import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { InputText } from 'primeng/inputtext';
import type { TableView } from './table-view';

/** A field that narrows a long table by what is typed. */
@Component({
  selector: 'nm-find-rows',
  imports: [FormsModule, InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (table().tools()) {
      <label class="small" for="find-rows">Find</label>
      <input
        pInputText
        id="find-rows"
        autocomplete="off"
        [placeholder]="by()"
        [ngModel]="table().text()"
        (ngModelChange)="table().text.set($event)"
      />
    }
  `,
  styles: `
    :host {
      display: flex;
      align-items: center;
      gap: 0.75rem;
    }
  `,
})
export class FindRows<Row> {
  readonly table = input.required<TableView<Row>>();
  /** By what it finds, in words. */
  readonly by = input.required<string>();
}
