import * as z from 'zod';
import { HeardNetworkSchema, KeyVerdictSchema, RadioAdapterSchema } from '../air/model';

/** Messages about the air. */

/** The trial of a key, as it is on record. */
export const TriedKeySchema = z.object({
  networkId: z.uuid(),
  verdict: KeyVerdictSchema,
  message: z.string(),
  /** In dBm; null where it was not told. */
  signal: z.number().nullable(),
  at: z.number(),
  seconds: z.number(),
  adapter: z.string(),
  /** Where that was. */
  station: z.string(),
  /** Whether nothing of the network was changed since. */
  current: z.boolean(),
});
export type TriedKey = z.infer<typeof TriedKeySchema>;

export const AirViewSchema = z.object({
  adapters: z.array(RadioAdapterSchema),
  /** Why the adapters cannot be told; empty where they can. */
  problem: z.string(),
  /** What was heard last at this bench; null where nobody looked. */
  look: z.object({ at: z.number(), adapter: z.string(), networks: z.array(HeardNetworkSchema) }).nullable(),
  /** The last trial of each network. */
  tried: z.array(TriedKeySchema),
});
export type AirView = z.infer<typeof AirViewSchema>;

/** With which adapter. */
export const WithAdapterSchema = z.object({ adapter: z.string().min(1).max(32) });

/** With which adapter, and whether somebody agreed to what it asks. */
export const TryWithSchema = WithAdapterSchema.extend({ agreed: z.boolean().default(false) });
