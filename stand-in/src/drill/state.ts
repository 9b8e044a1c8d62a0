import * as z from 'zod';
import {
  AirSchema,
  DrillCauseSchema,
  DrillViewSchema,
  type DrillCause,
  type DrillView,
} from '@nest-mark/core/api';

/** Faults that lie with one board; the others lie with the air, or on a card. */
export const BoardFaultSchema = DrillCauseSchema.extract([
  'not-powered',
  'not-seated',
  'weak-supply',
  'still-booting',
  'other-width',
  'other-card',
  'copied-card',
  'login-off',
  'board-broken',
]);
export type BoardFault = z.infer<typeof BoardFaultSchema>;

/** A drill as the bench keeps it: with what is hidden, and with what was there before. */
export const DrillStateSchema = DrillViewSchema.omit({ cause: true, nest: true }).extend({
  hidden: z.object({ cause: DrillCauseSchema, nest: z.string() }),
  /** The air as the boards were prepared for it. */
  air: AirSchema,
  /** Octets of a card before a file on it was renamed, in base64. */
  card: z
    .object({
      id: z.string(),
      was: z.array(z.object({ offset: z.number(), bytes: z.string() })),
      /** From which name to which. */
      renamed: z.tuple([z.string(), z.string()]),
    })
    .nullable(),
});
export type DrillState = z.infer<typeof DrillStateSchema>;

/** What of a drill may be shown: what it hides only when it is over. */
export function viewOf(drill: DrillState): DrillView {
  const { hidden, air: _air, card: _card, ...rest } = drill;
  const over = drill.outcome !== 'open';
  return {
    ...rest,
    cause: over ? hidden.cause : null,
    nest: over ? hidden.nest : null,
    way: over ? drill.way : null,
  };
}

export const isBoardFault = (cause: DrillCause): cause is BoardFault =>
  BoardFaultSchema.safeParse(cause).success;
