import * as z from 'zod';
import { LoginWaySchema, MovePlanSchema } from '@nest-mark/core/api';

/** What was confirmed when boards were told to move; the work goes by it, whatever becomes of the plan. */
export const MoveOrderSchema = z.object({
  moveId: z.uuid(),
  way: LoginWaySchema,
  plan: MovePlanSchema,
  to: z.object({ id: z.uuid(), version: z.number().int(), subnet: z.string() }),
  port: z.number().int(),
});
export type MoveOrder = z.infer<typeof MoveOrderSchema>;
