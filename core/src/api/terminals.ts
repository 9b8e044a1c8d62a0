import * as z from 'zod';
import { LoginWaySchema } from './bring-up';

/** Messages about terminals to boards. Times are milliseconds since 1970. */

const columns = z.number().int().min(20).max(500);
const rows = z.number().int().min(5).max(200);

export const OpenTerminalSchema = z.object({
  way: LoginWaySchema.default('bench-key'),
  columns,
  rows,
  /** Whether what is shown goes into the board's record. */
  keep: z.boolean().default(false),
});

/** A login that waits for its browser. */
export const TerminalSchema = z.object({
  /** Good once, by the one browser that asked for it, and for half a minute. */
  ticket: z.string(),
});

/** What a browser sends as text; keys are sent as octets. */
export const TerminalWordSchema = z.object({ columns, rows });

/** What was kept of a terminal. */
export const TerminalRecordSchema = z.object({
  id: z.uuid(),
  at: z.number(),
  /** Null while it is open, or where the program died in the middle of it. */
  endedAt: z.number().nullable(),
  by: z.string(),
  /** What was shown, secrets struck out; the end of it where it was much. */
  text: z.string(),
});
export type TerminalRecord = z.infer<typeof TerminalRecordSchema>;
