import * as z from 'zod';
import { BringUpPlanSchema, LoginWaySchema } from '@nest-mark/core';

/** What was confirmed when bringing up was begun; the work goes by it, whatever becomes of the plan. */
export const BringUpOrderSchema = z.object({
  way: LoginWaySchema,
  plan: BringUpPlanSchema,
});
export type BringUpOrder = z.infer<typeof BringUpOrderSchema>;
