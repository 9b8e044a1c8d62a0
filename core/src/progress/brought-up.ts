import * as z from 'zod';

/** How far a device is with being brought up. */
export const BroughtUpSchema = z.object({
  state: z.enum(['queued', 'running', 'ready', 'hand', 'stopped', 'interrupted']),
  /** Share of its steps that are behind it, 0 to 1. */
  share: z.number(),
  /** Why a person is needed; empty otherwise. */
  message: z.string(),
  /** Whether the bench's key is known to be off the board. */
  keyOff: z.boolean(),
  /** Milliseconds since 1970 of the last change. */
  at: z.number(),
});
export type BroughtUp = z.infer<typeof BroughtUpSchema>;

/** States of a step that is behind a board. */
const behind = new Set(['well', 'done', 'skipped']);

/** @param keyOff whether the bench's key was seen to be off */
export const brought = (
  board: {
    state: BroughtUp['state'];
    message: string;
    at: number;
    steps: readonly { state: string }[];
  },
  keyOff: boolean,
): BroughtUp => ({
  state: board.state,
  share:
    board.steps.length === 0
      ? 0
      : board.steps.filter(({ state }) => behind.has(state)).length / Math.max(10, board.steps.length),
  message: board.message,
  keyOff,
  at: board.at,
});
