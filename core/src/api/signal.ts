import * as z from 'zod';
import { LoginWaySchema } from './bring-up';
import { WalkPlaceSchema, ReadingSchema } from '../signal/model';

/** Messages about the signal where boards will be. */

export const SignalViewSchema = z.object({
  batchId: z.uuid(),
  /** The oldest first. */
  readings: z.array(ReadingSchema),
});
export type SignalView = z.infer<typeof SignalViewSchema>;

/** To listen at a place: with an adapter of this computer, or with a proved board that is there. */
export const ListenAtSchema = z.discriminatedUnion('sensor', [
  z.object({ sensor: z.literal('adapter'), place: WalkPlaceSchema, adapter: z.string().min(1).max(32) }),
  z.object({ sensor: z.literal('board'), place: WalkPlaceSchema, deviceId: z.uuid(), way: LoginWaySchema }),
]);
export type ListenAt = z.infer<typeof ListenAtSchema>;

/** Which place is forgotten, with all that was read there. */
export const ForgetPlaceSchema = z.object({ place: z.string().max(400) });
