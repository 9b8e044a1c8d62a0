import * as z from 'zod';
import { SearchSchema } from './finding';
import { ImageSchema } from './images';
import { RoundSchema } from './rounds';

/** What the event stream tells: what changed, not the whole of it. */
export const ServerEventSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('round'), round: RoundSchema }),
  z.object({ type: z.literal('search'), search: SearchSchema }),
  z.object({ type: z.literal('image'), image: ImageSchema }),
  z.object({ type: z.literal('progress'), batchId: z.string() }),
  /** Steps of boards went on; the figures of it are told as they come. */
  z.object({ type: z.literal('bring-up'), batchId: z.string() }),
  /** A move was changed, or a board in it went on. */
  z.object({ type: z.literal('move'), batchId: z.string() }),
  /** A trip into the field was changed, or a board in a rehearsal was proved. */
  z.object({ type: z.literal('field'), batchId: z.string() }),
  z.object({ type: z.literal('batches') }),
  z.object({ type: z.literal('networks') }),
  /** The air was listened to, or a key was tried. */
  z.object({ type: z.literal('air') }),
  /** Somebody listened at a place where boards of a batch will be. */
  z.object({ type: z.literal('signal'), batchId: z.string() }),
  z.object({ type: z.literal('boards') }),
  z.object({ type: z.literal('methods') }),
  z.object({ type: z.literal('slots') }),
  z.object({ type: z.literal('cards') }),
  z.object({ type: z.literal('settings') }),
  z.object({ type: z.literal('practice') }),
  z.object({ type: z.literal('log') }),
]);
export type ServerEvent = z.infer<typeof ServerEventSchema>;
