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

/** What is left of a label for what comes next, in mm. */
interface Room {
  left: number;
  top: number;
  width: number;
  height: number;
  /** Whether things stand below each other. */
  upright: boolean;
}

/** Puts the code at the left, or on top; the room for the text gets smaller by it. */
function placeCode(code: string, room: Room, drawn: DrawnInput[], remarks: string[]): Room {
  const { left, top, width, height, upright } = room;
  if (code === '') return room;
  const side = Math.min(upright ? width : height, upright ? height * 0.6 : width * 0.5, 30);
  const least = code.length > LONG ? LEAST_LONG_CODE_MM : LEAST_CODE_MM;
  if (side < least) {
    remarks.push(
      `The code is left out: it would be ${side.toFixed(1)} mm, and is read from ${String(least)} mm on.`,
    );
    return room;
  }
  drawn.push({ kind: 'code', x: left, y: top, size: side, text: code });
  return upright
    ? { ...room, top: top + side + 0.5, height: height - side - 0.5 }
    : { ...room, left: left + side + 0.8, width: width - side - 0.8 };
}

/** Puts the colour as a stripe with its letter at the right, or at the foot. */
function placeColour(
  colour: LabelColour | null,
  size: { width: number; height: number },
  pad: number,
  room: Room,
  drawn: DrawnInput[],
): Room {
  if (!colour) return room;
  const stripe = Math.min(6, Math.max(3, size.height * 0.2));
  const box = room.upright
    ? { x: pad, y: size.height - pad - stripe, width: size.width - 2 * pad, height: stripe }
    : { x: size.width - pad - stripe, y: pad, width: stripe, height: size.height - 2 * pad };
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
  return room.upright
    ? { ...room, height: room.height - stripe - 0.5 }
    : { ...room, width: room.width - stripe - 1.2 };
}

/** What is written, the most important first. A name that is cut could be another device's, so it has lines. */
function rowsOf(
  { mark, hostName, nest, what, title, colour }: LabelContent,
  fits: Fits,
): [Row, Row[], Row[]] {
  const name = inLines(hostName, (text) => fits(text, 'bold') >= LEAST_TYPE_MM * 1.2);
  const about = [
    [nest, what === 'board' ? '' : what].filter((part) => part !== '').join(' · '),
    colour && colour.title !== hostName ? `${colour.letter} · ${colour.title}` : title,
  ].filter((text) => text !== '');
  return [
    { text: mark, face: 'mono', weight: 1.5 },
    name.map((text): Row => ({ text, face: 'bold', weight: name.length > 1 ? 0.9 : 1.1 })),
    about.map((text): Row => ({ text, face: 'plain', weight: 0.85 })),
  ];
}

/** The largest size in which a text fits. */
type Fits = (text: string, face: Face) => number;

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
  const [width, height] = [size.width - 2 * pad, size.height - 2 * pad];
  const drawn: DrawnInput[] = [];
  const remarks: string[] = [];
  const whole: Room = { left: pad, top: pad, width, height, upright: height > width * 1.2 };
  const beside = placeCode(content.code, whole, drawn, remarks);
  const room = placeColour(content.colour, size, pad, beside, drawn);

  const fits: Fits = (text, face) => room.width / Math.max(0.001, measure(text, face));
  if (fits(content.mark, 'mono') < LEAST_MARK_MM || room.height < LEAST_MARK_MM * LEADING) return null;
  const [mark, name, about] = rowsOf(content, fits);
  /** Size of a row of weight one where so many rows share the height. */
  const unit = (rows: readonly Row[]): number =>
    room.height / LEADING / rows.reduce((sum, { weight }) => sum + weight, 0);
  const tooSmall = (rows: readonly Row[]): boolean =>
    rows.some(({ weight }) => unit(rows) * weight < LEAST_TYPE_MM);
  let kept = [mark, ...name, ...about];
  // From the least important on, until what stays can be read.
  while (kept.length > 1 && tooSmall(kept)) kept = kept.slice(0, -1);
  if (kept.length <= name.length) {
    kept = [mark];
    remarks.push(`${content.hostName} is left out: only the mark fits.`);
  }
  const sizes = kept.map(({ text, face, weight }) =>
    Math.max(LEAST_TYPE_MM, Math.min(unit(kept) * weight, fits(text, face), 8)),
  );
  const used = sizes.reduce((sum, one) => sum + one * LEADING, 0);
  let y = room.top + Math.max(0, (room.height - used) / 2);
  kept.forEach((row, at) => {
    const type = sizes[at] ?? LEAST_TYPE_MM;
    const text = cutToFit(row.text, row.face, type, room.width + 0.01, measure);
    if (text !== row.text) remarks.push(`“${row.text}” is cut to “${text}”.`);
    y += type * LEADING;
    drawn.push({ kind: 'text', x: room.left, y: y - type * 0.3, size: type, face: row.face, text });
  });
  return { drawn: drawn.map((one) => DrawnSchema.parse(one)), remarks };
}
