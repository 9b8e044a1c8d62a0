import * as z from 'zod';
import { MoveFindingSchema, MovePlanSchema, WaySchema, WayIdSchema } from '../move/model';
import { LoginWaySchema } from './bring-up';

/** Messages of moves to another network. */

/** Where a board is in a move; those from `moved` on are how it ended. */
export const BoardMoveStateSchema = z.enum([
  'looking',
  'adding',
  'trying',
  'switching',
  'proving',
  'keeping',
  'taking-off',
  'moved',
  'alone',
  'waits',
  'came-back',
  'missing',
  'hand',
  'stopped',
]);
export type BoardMoveState = z.infer<typeof BoardMoveStateSchema>;

export const BoardMoveSchema = z.object({
  deviceId: z.string(),
  state: BoardMoveStateSchema,
  message: z.string(),
  at: z.number(),
});

export const MoveSchema = z.object({
  id: z.uuid(),
  batchId: z.uuid(),
  version: z.number().int(),
  plan: MovePlanSchema,
  createdAt: z.number(),
  /** Ways of each device, in the order in which they are advised, and the one that is. */
  devices: z.array(
    z.object({ deviceId: z.string(), ways: z.array(WaySchema), chosen: WayIdSchema.nullable() }),
  ),
  days: z.array(
    z.object({ day: z.string(), last: z.boolean(), what: z.string(), deviceIds: z.array(z.string()) }),
  ),
  /** What is lost when the old network's last day passes; empty for nothing. */
  lost: z.string(),
  findings: z.array(MoveFindingSchema),
  boards: z.array(BoardMoveSchema),
  running: z.object({ done: z.number(), of: z.number(), begunBy: z.string() }).nullable(),
  /** Why the newest run ended; empty while none did. */
  ended: z.string(),
  /** Ways to log in, each with what it lacks. */
  logins: z.array(z.object({ way: LoginWaySchema, lacks: z.string() })),
});
export type Move = z.infer<typeof MoveSchema>;

export const NewMoveSchema = z.object({ plan: MovePlanSchema });
/** Going over to the new network; or, later and on request, forgetting the old one. */
export const MoveTaskSchema = z.enum(['move', 'take-off']);
export type MoveTask = z.infer<typeof MoveTaskSchema>;

export const StartMoveSchema = z.object({
  task: MoveTaskSchema.default('move'),
  deviceIds: z.array(z.uuid()).min(1).max(1000),
  way: LoginWaySchema,
  /** Of the move as it was looked at. */
  version: z.number().int(),
});
