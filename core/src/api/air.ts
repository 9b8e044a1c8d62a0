import * as z from 'zod';
import { HeardNetworkSchema, RadioAdapterSchema } from '../air/model';
import { SavedPlaceSchema } from '../formats/saved-profiles';

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

/** Networks that this computer has saved for its own use, without their keys. */
export const SavedViewSchema = z.object({
  profiles: z.array(SavedPlaceSchema),
  /** Why some are not told; empty where all are. */
  problem: z.string(),
});
export type SavedView = z.infer<typeof SavedViewSchema>;

/** Which of them goes onto the shelf. */
export const TakeSavedSchema = SavedPlaceSchema.pick({ id: true });
