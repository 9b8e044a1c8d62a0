import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import type { TableView } from './table-view';

/** The title of a column, by which a long table is sorted when it is pressed. */
@Component({
  selector: 'nm-sort-head',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (table().tools()) {
      <button type="button" (click)="table().sort(column())">
        {{ label() }}
        <span aria-hidden="true">{{ signs[table().sorted(column()) ?? 'none'] }}</span>
      </button>
    } @else {
      {{ label() }}
    }
  `,
  styles: `
    button {
      display: inline-flex;
      gap: 0.375rem;
      min-height: 32px;
      padding: 0;
      border: 0;
      background: none;
      color: inherit;
      font: inherit;
      cursor: pointer;
    }
  `,
})
export class SortHead<Row> {
  readonly column = input.required<string>();
  readonly table = input.required<TableView<Row>>();
  readonly label = input.required<string>();
  protected readonly signs = { ascending: '▴', descending: '▾', none: '·' } as const;
}
