import * as z from 'zod';
import { USUAL_LARGEST_GB, writerBounds } from '../cards/writer-memory';

/** What people set at a station. */

const within = ({ least, most, usual }: { least: number; most: number; usual: number }) =>
  z.number().int().min(least).max(most).default(usual);

/** What people set at a bench. */
export const StationSettingsSchema = z.object({
  /** The largest medium that is written, in GB (10^9 octets). */
  largestGB: z.number().min(1, 'At least 1 GB.').max(4000, 'At most 4000 GB.').default(USUAL_LARGEST_GB),
  /** Blocks of the image that are kept in memory for all cards of a round. */
  keepBlocks: within(writerBounds.keepBlocks),
  /** Writes under way for each card. */
  inFlight: within(writerBounds.inFlight),
  /** Size of a block in MiB, for images that are put on the shelf from now on. */
  blockMiB: z.union([z.literal(1), z.literal(2), z.literal(4), z.literal(8)]).default(4),
  /** Whether this computer's own card readers are offered beside the practice bench. */
  realReaders: z.boolean().default(false),
  /** Whether the practice bench is there, with cards and boards that are simulated. */
  practice: z.boolean().default(true),
  /** A sound when hands are needed. */
  sound: z.boolean().default(true),
});
export type StationSettings = z.infer<typeof StationSettingsSchema>;
