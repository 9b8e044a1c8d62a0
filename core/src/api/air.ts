import * as z from 'zod';
import { HeardNetworkSchema, RadioAdapterSchema } from '../air/model';

/** Messages about the air. */

export const AirViewSchema = z.object({
  adapters: z.array(RadioAdapterSchema),
  /** Why the adapters cannot be told; empty where they can. */
  problem: z.string(),
  /** What was heard last at this bench; null where nobody looked. */
  look: z.object({ at: z.number(), adapter: z.string(), networks: z.array(HeardNetworkSchema) }).nullable(),
});
export type AirView = z.infer<typeof AirViewSchema>;

/** With which adapter. */
export const WithAdapterSchema = z.object({ adapter: z.string().min(1).max(32) });

/** With which adapter, and whether somebody agreed to what it asks. */
export const TryWithSchema = WithAdapterSchema.extend({ agreed: z.boolean().default(false) });
