import { Component, provideZonelessChangeDetection, signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import * as fc from 'fast-check';
import { RowsInView, wantRow } from '../src/app/ui/rows-in-view';
import { TableView, TOOLS_FROM } from '../src/app/ui/table-view';

interface Row {
  id: string;
  name: string;
  place: number;
}
const row = (name: string, place: number): Row => ({ id: `${name}-${String(place)}`, name, place });
const many = Array.from({ length: 1000 }, (_, at) => row(`tank-${String(at + 1)}`, at));
const columns = { name: ({ name }: Row) => name, place: ({ place }: Row) => place };

describe('a table as a person wants it', () => {
  it('stays in its order, without tools, while it is short', () => {
    const short = signal(many.slice(0, TOOLS_FROM));
    const table = new TableView(short, columns);
    table.text.set('tank-7');
    expect([table.tools(), table.rows().length]).toEqual([false, TOOLS_FROM]);
  });

  it('is narrowed by words that all have to be there', () => {
    const table = new TableView(signal(many), columns);
    table.text.set('TANK-1 999');
    expect(table.rows().map(({ name }) => name)).toEqual(['tank-1000']);
    table.text.set('  ');
    expect(table.rows()).toHaveLength(1000);
  });

  it('is sorted as people count, up, down, and back to its order', () => {
    const table = new TableView(signal([...many].reverse()), columns);
    const first = () => table.rows()[0]?.name;
    table.sort('name');
    expect([first(), table.rows()[1]?.name]).toEqual(['tank-1', 'tank-2']);
    table.sort('name');
    expect(first()).toBe('tank-1000');
    table.sort('place');
    expect([first(), table.by()]).toEqual(['tank-1', { column: 'place', down: false }]);
    table.sort('place');
    table.sort('place');
    expect([first(), table.by()]).toEqual(['tank-1000', null]);
  });

  it('loses no row and makes none up, whatever is pressed', () => {
    const press = fc.constantFrom('name', 'place', 'nothing');
    fc.assert(
      fc.property(
        fc.array(fc.record({ name: fc.string(), place: fc.integer() })),
        fc.array(press),
        (list, presses) => {
          const rows = list.map(({ name, place }) => row(name, place));
          const table = new TableView(signal(rows), columns);
          for (const column of presses) table.sort(column);
          expect([...table.rows()].sort((a, b) => rows.indexOf(a) - rows.indexOf(b))).toEqual(rows);
        },
      ),
    );
  });
});

@Component({
  imports: [RowsInView],
  template: `<main>
    <table>
      <tbody [nmRowsInView]="rows()" [rowHeight]="50" #view="rowsInView">
        <tr class="above" [style.height.px]="view.above()"></tr>
        @for (row of view.rows(); track row.id) {
          <tr class="row">
            <td>{{ row.name }}</td>
          </tr>
        }
        <tr class="below" [style.height.px]="view.below()"></tr>
      </tbody>
    </table>
  </main>`,
})
class Page {
  readonly rows = signal<readonly Row[]>(many);
}

describe('the rows of a long table that are drawn', () => {
  /** The page in a window of 500 pixels whose table begins 100 below the top; jsdom lays nothing out. */
  async function drawn(rows: readonly Row[] = many) {
    TestBed.configureTestingModule({ providers: [provideZonelessChangeDetection()] });
    const fixture = TestBed.createComponent(Page);
    fixture.componentInstance.rows.set(rows);
    await fixture.whenStable();
    const root = fixture.nativeElement as HTMLElement;
    const main = root.querySelector('main')!;
    const body = root.querySelector('tbody')!;
    const box = (top: number): DOMRect => ({ top }) as DOMRect;
    Object.defineProperty(main, 'clientHeight', { value: 500 });
    main.getBoundingClientRect = () => box(0);
    body.getBoundingClientRect = () => box(100 - main.scrollTop);
    const height = (name: string) => parseFloat(root.querySelector<HTMLElement>(`.${name}`)!.style.height);
    return {
      main,
      scroll: async (top: number) => {
        main.scrollTop = top;
        main.dispatchEvent(new Event('scroll'));
        await fixture.whenStable();
      },
      stable: () => fixture.whenStable(),
      names: () => [...root.querySelectorAll('.row')].map(({ textContent }) => textContent.trim()),
      whole: () => height('above') + height('below') + root.querySelectorAll('.row').length * 50,
    };
  }

  it('are all of them where there are few', async () => {
    const { names, whole } = await drawn(many.slice(0, 60));
    expect([names().length, whole()]).toEqual([60, 3000]);
  });

  it('are those around what is seen, and the page is as high as with all', async () => {
    const { scroll, names, whole } = await drawn();
    for (const top of [0, 700, 12_345, 30_000, 49_600]) {
      await scroll(top);
      const first = Math.max(0, Math.floor((top - 100) / 50));
      const seen = many.slice(first, Math.min(1000, first + 11)).map(({ name }) => name);
      expect(names()).toEqual(expect.arrayContaining(seen));
      expect(names().length).toBeLessThan(80);
      expect(whole()).toBe(50_000);
    }
  });

  it('come to the one that is wanted, wherever it is', async () => {
    const { main, names, stable } = await drawn();
    wantRow('tank-700-699');
    await stable();
    expect(names()).toContain('tank-700');
    expect(main.scrollTop).toBeGreaterThan(34_000);
    wantRow('nobody');
    await stable();
    expect(names()).toContain('tank-700');
  });
});
