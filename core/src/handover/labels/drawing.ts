import * as z from 'zod';

/** What is drawn on a label or a page, in mm from the upper left corner. Preview, paper and PDF are made of the same. */

export const FaceSchema = z.enum(['plain', 'bold', 'mono']);
/** Cut of the shipped type. */
export type Face = z.infer<typeof FaceSchema>;

export const DrawnSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('text'),
    x: z.number(),
    /** Of the base line. */
    y: z.number(),
    /** Height of the type in mm: the em. */
    size: z.number(),
    face: FaceSchema,
    text: z.string(),
    ink: z.string().default('#000000'),
    anchor: z.enum(['start', 'middle']).default('start'),
  }),
  z.object({
    kind: z.literal('box'),
    x: z.number(),
    y: z.number(),
    width: z.number(),
    height: z.number(),
    fill: z.string().nullable(),
    /** Width of its outline in mm; zero for none. */
    line: z.number(),
  }),
  /** A line that is folded along, or cut. */
  z.object({
    kind: z.literal('fold'),
    x: z.number(),
    y: z.number(),
    width: z.number(),
  }),
  /** A QR code (ISO/IEC 18004) with its quiet zone. */
  z.object({ kind: z.literal('code'), x: z.number(), y: z.number(), size: z.number(), text: z.string() }),
  /** The same as it is inked: a path whose unit is a module, of so many modules a side. */
  z.object({
    kind: z.literal('pattern'),
    x: z.number(),
    y: z.number(),
    size: z.number(),
    modules: z.number(),
    path: z.string(),
  }),
]);
export type Drawn = z.infer<typeof DrawnSchema>;
export type DrawnInput = z.input<typeof DrawnSchema>;

/** Width of a text in a face, in parts of its size. */
export type Measure = (text: string, face: Face) => number;

/** The longest beginning of a text that fits, with an ellipsis where something is missing. */
export function cutToFit(text: string, face: Face, size: number, width: number, measure: Measure): string {
  if (measure(text, face) * size <= width) return text;
  const letters = [...text];
  while (letters.length > 0 && measure(`${letters.join('')}…`, face) * size > width) letters.pop();
  return `${letters.join('').trimEnd()}…`;
}

/** A page of paper, in mm, with what is drawn on it. */
export const PageSchema = z.object({
  width: z.number(),
  height: z.number(),
  drawn: z.array(DrawnSchema),
});
export type Page = z.infer<typeof PageSchema>;

/** What is drawn somewhere, drawn elsewhere. */
export const moved = (drawn: readonly Drawn[], x: number, y: number): Drawn[] =>
  drawn.map((one) => ({ ...one, x: one.x + x, y: one.y + y }));
