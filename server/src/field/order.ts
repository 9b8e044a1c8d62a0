import * as z from 'zod';

/** What was confirmed when a try was begun; the work goes by it, whatever becomes of the trip. */
export const TryOrderSchema = z.object({
  tryId: z.uuid(),
  subnet: z.string(),
  port: z.number().int(),
  minutes: z.number(),
  /** Boards that the network has room for beside this computer; null where nobody knows. */
  room: z.number().nullable(),
});
export type TryOrder = z.infer<typeof TryOrderSchema>;
