import {
  DrawnSchema,
  type Drawn,
  type DrawnInput,
  type Face,
  type Measure,
  type Page,
} from '../labels/drawing';
import type { Document, Part } from './document';

/** A4, in mm. */
const PAGE = { width: 210, height: 297 };
const MARGIN = { side: 16, top: 16, bottom: 18 };
const WIDTH = PAGE.width - 2 * MARGIN.side;
const LEADING = 1.35;
const TEXT = 3.1;
const CELL = 2.6;
const PAD = 0.9;
/** Width of most letters, in parts of their size. */
const USUAL_LETTER = 0.55;

/** Breaks a text into lines that fit; a word that is too long is broken anywhere. */
export function wrapped(text: string, face: Face, size: number, width: number, measure: Measure): string[] {
  // Letter by letter: pairs that lie closer make a line shorter than this, never longer.
  const widthOf = (line: string): number => {
    let sum = 0;
    for (const letter of line) sum += measure(letter, face);
    return sum * size;
  };
  const fits = (line: string): boolean => widthOf(line) <= width;
  const lines: string[] = [];
  let line = '';
  const put = (piece: string): void => {
    if (fits(line + piece.trimEnd())) {
      line += piece;
      return;
    }
    if (line.trim() !== '') lines.push(line.trimEnd());
    line = '';
    for (const letter of piece) {
      if (line !== '' && !fits(line + letter)) {
        lines.push(line.trimEnd());
        line = '';
      }
      line += letter;
    }
  };
  for (const paragraph of text.split('\n')) {
    for (const piece of paragraph.match(/\S+\s*|\s+/g) ?? []) put(piece);
    lines.push(line.trimEnd());
    line = '';
  }
  return lines;
}

/** Lays a document out on pages, from top to bottom. */
class Layout {
  readonly pages: Page[] = [];
  private y = PAGE.height;

  constructor(
    private readonly title: string,
    private readonly measure: Measure,
  ) {}

  private draw(one: DrawnInput): void {
    this.pages.at(-1)?.drawn.push(DrawnSchema.parse(one));
  }

  /** Begins a new page where there is no room for so much. */
  private need(height: number): void {
    if (this.y + height <= PAGE.height - MARGIN.bottom) return;
    this.pages.push({ ...PAGE, drawn: [] });
    this.y = MARGIN.top;
  }

  /** Writes lines at a place. @returns their height */
  private lines(lines: readonly string[], x: number, y: number, face: Face, size: number): number {
    lines.forEach((text, at) => {
      if (text !== '') this.draw({ kind: 'text', x, y: y + size * (at * LEADING + 1), size, face, text });
    });
    return lines.length * size * LEADING;
  }

  text(text: string, face: Face, size: number, before = 0, keep = 0): void {
    const lines = wrapped(text, face, size, WIDTH, this.measure);
    const [first = '', ...others] = lines;
    this.need(before + size * LEADING + keep);
    this.y += before;
    this.y += this.lines([first], MARGIN.side, this.y, face, size);
    for (const line of others) {
      this.need(size * LEADING);
      this.y += this.lines([line], MARGIN.side, this.y, face, size);
    }
  }

  /** A row of cells, each with its width. Rows higher than a page are broken off. */
  private row(
    cells: readonly string[],
    widths: readonly number[],
    faces: readonly Face[],
    framed: boolean,
  ): void {
    const most = Math.floor((PAGE.height - MARGIN.top - MARGIN.bottom) / (CELL * LEADING)) - 2;
    const texts = cells.map((cell, at) =>
      wrapped(cell, faces[at] ?? 'plain', CELL, (widths[at] ?? 0) - 2 * PAD, this.measure).slice(0, most),
    );
    const height = Math.max(...texts.map((lines) => lines.length)) * CELL * LEADING + 2 * PAD;
    this.need(height);
    let x = MARGIN.side;
    texts.forEach((lines, at) => {
      const width = widths[at] ?? 0;
      if (framed) this.draw({ kind: 'box', x, y: this.y, width, height, fill: null, line: 0.1 });
      this.lines(lines, x + PAD, this.y + PAD * 0.7, faces[at] ?? 'plain', CELL);
      x += width;
    });
    this.y += height;
  }

  /** Shares of the width by what stands in the columns. */
  private widths(rows: readonly (readonly string[])[]): number[] {
    const wanted = (rows[0] ?? []).map((_, at) =>
      Math.max(
        8,
        ...rows
          .slice(0, 200)
          .map((row) => Math.min(60, [...(row[at] ?? '')].length * USUAL_LETTER * CELL + 2 * PAD)),
      ),
    );
    const sum = wanted.reduce((all, one) => all + one, 0);
    return wanted.map((one) => (one / sum) * WIDTH);
  }

  part(part: Part): void {
    switch (part.kind) {
      case 'text':
        this.text(part.text, 'plain', TEXT, 1);
        return;
      case 'facts':
        for (const fact of part.facts) this.row(fact, [48, WIDTH - 48], ['plain', 'bold'], false);
        return;
      case 'table': {
        const widths = this.widths([part.columns, ...part.rows]);
        const head = part.columns.map((): Face => 'bold');
        this.row(part.columns, widths, head, true);
        for (const row of part.rows)
          this.row(
            row,
            widths,
            row.map((): Face => 'plain'),
            true,
          );
        this.y += 1.5;
      }
    }
  }

  /** Puts a number and the title at the foot of each page. */
  numbered(): Page[] {
    this.pages.forEach((page, at) => {
      const text = `${this.title} · page ${String(at + 1)} of ${String(this.pages.length)}`;
      const foot: Drawn = DrawnSchema.parse({
        kind: 'text',
        x: MARGIN.side,
        y: PAGE.height - 9,
        size: 2.4,
        face: 'plain',
        text,
      });
      page.drawn.push(foot);
    });
    return this.pages;
  }
}

/** A document on pages of A4. */
export function documentPages({ title, about, sections }: Document, measure: Measure): Page[] {
  const layout = new Layout(title, measure);
  layout.text(title, 'bold', 6);
  layout.text(about, 'plain', TEXT, 1);
  for (const section of sections) {
    // A title does not stand at the foot of a page without anything under it.
    layout.text(section.title, 'bold', section.level === 1 ? 4.4 : 3.6, section.level === 1 ? 6 : 4, 12);
    for (const part of section.parts) layout.part(part);
  }
  return layout.numbered();
}
