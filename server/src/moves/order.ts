import * as z from 'zod';
import { LoginWaySchema, MovePlanSchema, MoveTaskSchema } from '@nest-mark/core/api';

/** What was confirmed when boards were told to move; the work goes by it, whatever becomes of the plan. */
export const MoveOrderSchema = z.object({
  moveId: z.uuid(),
  task: MoveTaskSchema.default('move'),
  /** The network that boards forget; null where they only go over. */
  oldHex: z
    .string()
    .regex(/^(?:[0-9a-f]{2}){1,32}$/)
    .nullable()
    .default(null),
  way: LoginWaySchema,
  plan: MovePlanSchema,
  to: z.object({ id: z.uuid(), version: z.number().int(), subnet: z.string() }),
  port: z.number().int(),
});
export type MoveOrder = z.infer<typeof MoveOrderSchema>;
