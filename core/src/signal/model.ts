import * as z from 'zod';
import { nameOf } from '../plain-name';
import { WifiBandSchema } from '../wifi/network';

/** Most characters of a place's name. */
const MOST = 60;

/** Where boards will be, in the words of whoever walks there. */
export const WalkPlaceSchema = nameOf(MOST).trim().min(1, 'Say which place this is.');

/** How strongly a network is heard at a place, as one listened there. */
export const ReadingSchema = z.object({
  id: z.uuid(),
  place: z.string(),
  networkId: z.uuid(),
  /** What the network was called then. */
  network: z.string(),
  band: WifiBandSchema,
  /** In dBm; null where it was listened for and not heard. */
  dbm: z.number().min(-150).max(0).nullable(),
  /** Whether that is reckoned from a share of the best, as some programs tell nothing else. */
  about: z.boolean(),
  /** What listened: an adapter of this computer, or a proved board that is on the network. */
  sensor: z.enum(['adapter', 'board']),
  /** Its name: of the adapter, or the board's host name. */
  sensorName: z.string(),
  /** Milliseconds since 1970. */
  at: z.number(),
  by: z.string(),
});
export type Reading = z.infer<typeof ReadingSchema>;
/** What is read, before it is on record. */
export type HeardSignal = Pick<Reading, 'networkId' | 'network' | 'band' | 'dbm' | 'about'>;
