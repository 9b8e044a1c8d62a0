import * as z from 'zod';
import type { LabelColour } from '../colours';
import { cutToFit, type Drawn, type DrawnInput, DrawnSchema, type Face, type Measure } from './drawing';

/** What a label is stuck onto. */
export const LabelledSchema = z.enum(['board', 'card', 'supply']);
export type Labelled = z.infer<typeof LabelledSchema>;

/** What a label says. */
export interface LabelContent {
  what: Labelled;
  mark: string;
  hostName: string;
  nest: string;
  /** Its role, or what the batch is called. */
  title: string;
  colour: LabelColour | null;
  /** Text of its code; empty for none. */
  code: string;
}

export interface LabelDrawing {
  drawn: Drawn[];
  /** What a person should know, in sentences. */
  remarks: string[];
}

/** A small code with its quiet zone: two dots a module at 203 dots an inch are 7.3 mm (29 modules). */
const LEAST_CODE_MM = 7.3;
/** A long one (an address, version 3, 37 modules) is read safely from here on. */
const LEAST_LONG_CODE_MM = 15;
const LONG = 20;
/** Type below this is not read at arm's length, and not printed by label printers. */
const LEAST_TYPE_MM = 1.5;
const LEAST_MARK_MM = 1.8;
/** Lines need this much of their size. */
const LEADING = 1.2;

interface Row {
  text: string;
  face: Face;
  /** Size against the others. */
  weight: number;
}

/** A host name in as few lines as it takes: broken behind hyphens, and where there is none that helps, anywhere. */
function inLines(name: string, room: (text: string) => boolean): string[] {
  const lines: string[] = [];
  let line = '';
  for (const part of name.match(/[^-]*-+|[^-]+$/g) ?? [name]) {
    if (line !== '' && !room(line + part)) {
      lines.push(line);
      line = '';
    }
    for (const letter of part) {
      if (line !== '' && !room(line + letter)) {
        lines.push(line);
        line = '';
      }
      line += letter;
    }
  }
  return [...lines, line];
}

/**
 * Draws a label so that the mark is the largest, the host name next, and nothing is smaller than can be read. What does
 * not fit is left out from the least important on, and told.
 * @param size of the label, in mm
 * @returns null when not even the mark fits
 */
export function drawLabel(
  size: { width: number; height: number },
  content: LabelContent,
  measure: Measure,
): LabelDrawing | null {
  const pad = Math.min(1.5, size.height * 0.06);
  const inner = { width: size.width - 2 * pad, height: size.height - 2 * pad };
  const drawn: DrawnInput[] = [];
  const remarks: string[] = [];
  const upright = inner.height > inner.width * 1.2;

  let left = pad;
  let top = pad;
  let width = inner.width;
  let height = inner.height;
  if (content.code !== '') {
    const side = Math.min(
      upright ? inner.width : inner.height,
      upright ? inner.height * 0.6 : inner.width * 0.5,
      30,
    );
    const least = content.code.length > LONG ? LEAST_LONG_CODE_MM : LEAST_CODE_MM;
    if (side < least)
      remarks.push(
        `The code is left out: it would be ${side.toFixed(1)} mm, and is read from ${String(least)} mm on.`,
      );
    else {
      drawn.push({ kind: 'code', x: pad, y: pad, size: side, text: content.code });
      if (upright) {
        top += side + 0.5;
        height -= side + 0.5;
      } else {
        left += side + 0.8;
        width -= side + 0.8;
      }
    }
  }

  const { colour } = content;
  // The colour is a stripe with its letter, at the right where the label lies, else at the foot.
  if (colour) {
    const stripe = Math.min(6, Math.max(3, size.height * 0.2));
    const box = upright
      ? { x: pad, y: size.height - pad - stripe, width: inner.width, height: stripe }
      : { x: size.width - pad - stripe, y: pad, width: stripe, height: inner.height };
    const letter = Math.min(stripe * 0.75, box.height * 0.75);
    drawn.push(
      { kind: 'box', ...box, fill: colour.hex, line: 0.15 },
      {
        kind: 'text',
        x: box.x + box.width / 2,
        y: box.y + box.height / 2 + letter * 0.35,
        size: letter,
        face: 'bold',
        text: colour.letter,
        ink: colour.ink,
        anchor: 'middle',
      },
    );
    if (upright) height -= stripe + 0.5;
    else width -= stripe + 1.2;
  }

  const fits = (text: string, face: Face): number => width / Math.max(0.001, measure(text, face));
  const markSize = fits(content.mark, 'mono');
  if (markSize < LEAST_MARK_MM || height < LEAST_MARK_MM * LEADING) return null;
  // A name that is cut could be another device's, so it is broken into lines instead.
  const name = inLines(content.hostName, (text) => fits(text, 'bold') >= LEAST_TYPE_MM * 1.2);
  const about = [
    [content.nest, content.what === 'board' ? '' : content.what].filter((part) => part !== '').join(' · '),
    colour && colour.title !== content.hostName ? `${colour.letter} ${colour.title}` : content.title,
  ].filter((text) => text !== '');
  const rows: Row[] = [
    { text: content.mark, face: 'mono', weight: 1.5 },
    ...name.map((text): Row => ({ text, face: 'bold', weight: name.length > 1 ? 0.9 : 1.1 })),
    ...about.map((text): Row => ({ text, face: 'plain', weight: 0.85 })),
  ];
  const sizesOf = (some: readonly Row[]): number[] => {
    const unit = height / LEADING / some.reduce((sum, { weight }) => sum + weight, 0);
    return some.map(({ text, face, weight }) => Math.min(unit * weight, fits(text, face), 8));
  };
  let kept = rows;
  // From the least important on, until what stays can be read.
  const tooSmall = (some: readonly Row[]): boolean => {
    const unit = height / LEADING / some.reduce((sum, { weight }) => sum + weight, 0);
    return some.some(({ weight }) => unit * weight < LEAST_TYPE_MM);
  };
  while (kept.length > 1 && tooSmall(kept)) kept = kept.slice(0, -1);
  if (kept.length <= name.length) {
    kept = kept.slice(0, 1);
    remarks.push(`${content.hostName} is left out: only the mark fits.`);
  }
  const sizes = sizesOf(kept);
  const used = sizes.reduce((sum, one) => sum + Math.max(one, LEAST_TYPE_MM) * LEADING, 0);
  let y = top + Math.max(0, (height - used) / 2);
  kept.forEach((row, at) => {
    const type = Math.max(sizes[at] ?? LEAST_TYPE_MM, LEAST_TYPE_MM);
    const text = cutToFit(row.text, row.face, type, width + 0.01, measure);
    if (text !== row.text) remarks.push(`“${row.text}” is cut to “${text}”.`);
    y += type * LEADING;
    drawn.push({ kind: 'text', x: left, y: y - type * 0.3, size: type, face: row.face, text });
  });
  return { drawn: drawn.map((one) => DrawnSchema.parse(one)), remarks };
}
