import fc from 'fast-check';
import {
  drawLabel,
  labelColours,
  labelPlaces,
  labelSizeFaults,
  shippedLabelSizes,
  type LabelContent,
  type LabelSize,
  type Measure,
} from '../src/index';
import { many } from './helpers/soak';

/** A type whose letters are all 0.55 em wide. */
const measure: Measure = (text) => [...text].length * 0.55;

const content = (more: Partial<LabelContent> = {}): LabelContent => ({
  what: 'board',
  mark: '7KQ4J',
  hostName: 'tank-07',
  nest: 'B3',
  title: 'tank monitor',
  colour: { ...labelColours[0]!, title: 'tank monitor' },
  code: '7KQ4J',
  ...more,
});

describe('sizes of labels', () => {
  it('that ship are sound, and their labels lie on the page and not on each other', () => {
    for (const size of shippedLabelSizes) {
      expect(labelSizeFaults(size)).toEqual([]);
      const places = labelPlaces(size, size.columns * size.rows, 1);
      for (const { x, y, page } of places) {
        expect(page).toBe(0);
        expect(x + size.label.width).toBeLessThanOrEqual(size.page.width + 0.06);
        expect(y + size.label.height).toBeLessThanOrEqual(size.page.height + 0.06);
      }
      for (const one of places)
        for (const other of places)
          if (one !== other)
            expect(
              Math.abs(one.x - other.x) > size.label.width - 0.01 ||
                Math.abs(one.y - other.y) > size.label.height - 0.01,
            ).toBe(true);
    }
  });

  it('are refused with what to do where they hold nothing or leave the page', () => {
    const [sheet] = shippedLabelSizes as [LabelSize];
    expect(labelSizeFaults({ ...sheet, label: { width: 4, height: 3 } })[0]).toContain('holds nothing');
    expect(labelSizeFaults({ ...sheet, columns: 5 })[0]).toMatch(
      /5 columns reach 250.5 mm, and the page is 210 mm/,
    );
    expect(labelSizeFaults({ ...sheet, rows: 11 })[0]).toMatch(/11 rows reach/);
  });

  it('begin on a used sheet at the first free label, and go on onto the next', () => {
    const [sheet] = shippedLabelSizes as [LabelSize];
    const places = labelPlaces(sheet, 5, 38);
    expect(places.map(({ page }) => page)).toEqual([0, 0, 0, 1, 1]);
    expect(places[3]).toMatchObject({ x: sheet.margin.left, y: sheet.margin.top });
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 40 }), fc.integer({ min: 0, max: 200 }), (from, count) => {
        const all = labelPlaces(sheet, count, from);
        expect(new Set(all.map((place) => JSON.stringify(place))).size).toBe(count);
      }),
    );
  });
});

describe('a label', () => {
  it('of any size and any names draws nothing outside of itself, nothing that is too small, and always the whole mark', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 8, max: 120, noNaN: true }),
        fc.double({ min: 5, max: 120, noNaN: true }),
        fc.string({ unit: 'grapheme', minLength: 1, maxLength: 63 }),
        fc.string({ unit: 'grapheme', maxLength: 80 }),
        fc.boolean(),
        fc.constantFrom('', '7KQ4J', 'http://127.0.0.1:4680/batch/00000000-0000-4000-8000-000000000000'),
        (width, height, hostName, title, coloured, code) => {
          const drawing = drawLabel(
            { width, height },
            content({ hostName, title, code, ...(coloured ? {} : { colour: null }) }),
            measure,
          );
          if (!drawing) return;
          const texts = drawing.drawn.flatMap((one) => (one.kind === 'text' ? [one] : []));
          expect(texts.some(({ text }) => text === '7KQ4J')).toBe(true);
          for (const one of drawing.drawn) {
            if (one.kind === 'text' && one.anchor === 'start') {
              expect(one.size).toBeGreaterThanOrEqual(1.5);
              expect(one.x).toBeGreaterThanOrEqual(0);
              expect(one.x + measure(one.text, one.face) * one.size).toBeLessThanOrEqual(width + 0.05);
              expect(one.y - one.size).toBeGreaterThan(-0.6);
              expect(one.y).toBeLessThanOrEqual(height + 0.05);
            }
            if (one.kind === 'code') {
              expect(one.size).toBeGreaterThanOrEqual(one.text.length > 20 ? 15 : 7.3);
              expect(one.x + one.size).toBeLessThanOrEqual(width);
              expect(one.y + one.size).toBeLessThanOrEqual(height);
            }
          }
        },
      ),
      { numRuns: many(300, 2000), seed: 97 },
    );
  });

  it('on the smallest size says nothing less than its mark, or is refused', () => {
    expect(drawLabel({ width: 5, height: 4 }, content(), measure)).toBeNull();
    const small = drawLabel({ width: 22, height: 9 }, content({ hostName: 'a'.repeat(63) }), measure);
    expect(small?.remarks.join(' ')).toMatch(/left out/);
  });

  it('never cuts a host name: it is broken into lines, or left out as a whole', () => {
    fc.assert(
      fc.property(
        fc.stringMatching(/^[a-z][a-z0-9-]{0,61}[a-z0-9]$/),
        fc.integer({ min: 12, max: 60 }),
        (hostName, height) => {
          const drawing = drawLabel({ width: 48, height }, content({ hostName }), measure);
          const texts = drawing?.drawn.flatMap((one) =>
            one.kind === 'text' && one.face === 'bold' ? [one.text] : [],
          );
          const name = texts?.filter((text) => text !== 'A').join('');
          expect([hostName, '']).toContain(name);
          if (name === '') expect(drawing?.remarks.join(' ')).toContain('is left out: only the mark fits');
        },
      ),
    );
  });

  it('has its colour never without the letter and what it stands for', () => {
    const drawing = drawLabel({ width: 48, height: 25 }, content({ title: 'x' }), measure);
    const texts = drawing?.drawn.flatMap((one) => (one.kind === 'text' ? [one.text] : []));
    expect(texts).toContain('A');
    expect(texts).toContain('A · tank monitor');
  });

  it('leaves the code out, and says so, where it could not be read', () => {
    const long = 'http://127.0.0.1:4680/batch/00000000-0000-4000-8000-000000000000';
    const drawing = drawLabel({ width: 40, height: 12 }, content({ code: long }), measure);
    expect(drawing?.drawn.some(({ kind }) => kind === 'code')).toBe(false);
    expect(drawing?.remarks[0]).toContain('read from 15 mm on');
  });

  it('of a card or a supply says what it is for', () => {
    for (const what of ['card', 'supply'] as const)
      expect(
        drawLabel({ width: 48, height: 25 }, content({ what }), measure)?.drawn.some(
          (one) => one.kind === 'text' && one.text === `B3 · ${what}`,
        ),
      ).toBe(true);
  });
});
