import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { TableView } from './table-view';

/** The title of a column by which a table is sorted when it is pressed. */
@Component({
  selector: 'th[nmSort]',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '[attr.aria-sort]': 'sorted()' },
  template: `
    @if (table().tools()) {
      <button type="button" (click)="table().sort(column())">
        {{ label() }}
        <span aria-hidden="true">{{
          sorted() === 'ascending' ? '▴' : sorted() === 'descending' ? '▾' : '·'
        }}</span>
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
  readonly column = input.required<string>({ alias: 'nmSort' });
  readonly table = input.required<TableView<Row>>({ alias: 'of' });
  readonly label = input.required<string>();
  protected readonly sorted = computed(() => {
    const by = this.table().by();
    return by?.column !== this.column() ? null : by.down ? 'descending' : 'ascending';
  });
}
