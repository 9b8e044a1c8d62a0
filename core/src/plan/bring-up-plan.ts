import * as z from 'zod';
import { OwnStepSchema } from './own-step';

/** How a batch is brought up. */
export const BringUpPlanSchema = z.object({
  /** Whether boards are brought up before they are handed over. */
  wanted: z.boolean().default(false),
  /** Whether a key of the bench's own goes onto the cards, by which it logs in. */
  benchKey: z.boolean().default(false),
  /** Steps that are left out. */
  without: z.array(z.string().max(60)).max(60).default(['shut-down']),
  /** Steps that are left out on devices of a role. */
  roles: z
    .array(z.object({ role: z.string().max(80), without: z.array(z.string().max(60)).max(60) }))
    .max(50)
    .default([]),
  own: z.array(OwnStepSchema).max(20).default([]),
  /** Port of this computer's loopback at which a package cache serves the boards; null where each has its own line. */
  packagePort: z.number().int().min(1).max(65535).nullable().default(null),
  /** Whether boards get a remote screen that is reached through their login. */
  screen: z.boolean().default(false),
  /** Boards at once. */
  atOnce: z.number().int().min(1).max(64).default(8),
  /** Whether one board goes first, and the others only if it is well. */
  oneFirst: z.boolean().default(false),
});
export type BringUpPlan = z.infer<typeof BringUpPlanSchema>;
