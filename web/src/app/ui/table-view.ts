import { computed, signal, type Signal } from '@angular/core';

/** From so many rows on a table can be narrowed and sorted. */
export const TOOLS_FROM = 20;

type Value = string | number;

/** Text as people sort it: tank-2 before tank-10. */
const collator = new Intl.Collator('en', { numeric: true, sensitivity: 'base' });

const compared = (a: Value, b: Value): number =>
  typeof a === 'number' && typeof b === 'number' ? a - b : collator.compare(String(a), String(b));

/**
 * The rows of a table as a person wants them: narrowed by words that each have to be in one of the columns, and sorted
 * by one of them. Untouched it is the order in which they came.
 */
export class TableView<Row> {
  readonly text = signal('');
  readonly by = signal<{ column: string; down: boolean } | null>(null);
  readonly tools: Signal<boolean>;
  readonly rows: Signal<readonly Row[]>;

  /** @param columns what each sortable column says of a row, by its name */
  constructor(all: Signal<readonly Row[]>, columns: Record<string, (row: Row) => Value>) {
    const readers = Object.values(columns);
    this.tools = computed(() => all().length > TOOLS_FROM);
    this.rows = computed(() => {
      const words = this.tools() ? this.text().toLowerCase().split(/\s+/).filter(Boolean) : [];
      const found =
        words.length === 0
          ? all()
          : all().filter((row) => {
              const text = readers.map((read) => String(read(row)).toLowerCase());
              return words.every((word) => text.some((cell) => cell.includes(word)));
            });
      const by = this.by();
      const read = by === null ? undefined : columns[by.column];
      if (!by || !read) return found;
      return [...found].sort((a, b) => compared(read(a), read(b)) * (by.down ? -1 : 1));
    });
  }

  /** Up, down, and as it was. */
  sort(column: string): void {
    this.by.update((by) =>
      by?.column !== column ? { column, down: false } : by.down ? null : { column, down: true },
    );
  }

  /** How a column is sorted, as its heading tells it to a screen reader (WAI-ARIA, aria-sort). */
  sorted(column: string): 'ascending' | 'descending' | null {
    const by = this.by();
    return by?.column !== column ? null : by.down ? 'descending' : 'ascending';
  }
}
