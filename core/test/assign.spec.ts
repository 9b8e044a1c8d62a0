import * as fc from 'fast-check';
import munkres from 'munkres';
import { assign, type Edge } from '../src/locate/assign';

const edgesOf = (table: readonly (readonly number[])[]): Edge[] =>
  table.flatMap((line, row) => line.flatMap((gain, column) => (gain > 0 ? [{ row, column, gain }] : [])));
const total = (pairs: readonly { gain: number }[]): number => pairs.reduce((sum, { gain }) => sum + gain, 0);

/** The best sum by trying everything. */
function exhaustive(edges: readonly Edge[], row = 0, used = new Set<number>(), last = 5): number {
  if (row > last) return 0;
  let best = exhaustive(edges, row + 1, used, last);
  for (const { row: of, column, gain } of edges)
    if (of === row && !used.has(column)) {
      used.add(column);
      best = Math.max(best, gain + exhaustive(edges, row + 1, used, last));
      used.delete(column);
    }
  return best;
}

const tables = fc.array(fc.array(fc.integer({ min: 0, max: 9 }), { minLength: 5, maxLength: 5 }), {
  minLength: 1,
  maxLength: 5,
});

describe('giving rows columns so that the sum is the largest', () => {
  it('comes to the sum of a general library for assignment (munkres 2.0.4), on square tables up to 30', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 30 }).chain((size) =>
          fc.array(fc.array(fc.integer({ min: 0, max: 40 }), { minLength: size, maxLength: size }), {
            minLength: size,
            maxLength: size,
          }),
        ),
        (table) => {
          const costs = table.map((line) => line.map((gain) => -gain));
          const best = munkres(costs).reduce((sum, [row, column]) => sum + table[row]![column]!, 0);
          expect(total(assign(edgesOf(table)))).toBe(best);
        },
      ),
      { numRuns: 300 },
    );
  });

  it('uses nobody twice, and its margins are those of trying everything without the pair', () => {
    fc.assert(
      fc.property(tables, (table) => {
        const edges = edgesOf(table);
        const pairs = assign(edges);
        expect(new Set(pairs.map(({ row }) => row)).size).toBe(pairs.length);
        expect(new Set(pairs.map(({ column }) => column)).size).toBe(pairs.length);
        const best = exhaustive(edges);
        expect(total(pairs)).toBe(best);
        for (const { row, column, margin } of pairs) {
          const without = edges.filter((edge) => edge.row !== row || edge.column !== column);
          expect(margin).toBeCloseTo(best - exhaustive(without), 9);
        }
      }),
      { numRuns: 500 },
    );
  });

  it('gives nothing where nothing is to be had', () => {
    expect(assign([])).toEqual([]);
  });
});
