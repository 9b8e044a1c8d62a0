import * as z from 'zod';
import { ExposureFindingSchema, ReachedPortSchema } from '../exposure/model';
import { LoginWaySchema } from './bring-up';
import { BATCH_LIMIT } from '../plan/names';

/** Messages about what is open on boards. Times are milliseconds since 1970. */

/** Whom to ask; only proved boards of the batch are. */
export const StartExposureSchema = z.object({
  deviceIds: z.array(z.uuid()).min(1, 'Choose devices.').max(BATCH_LIMIT),
  /** By what the bench looks inside as well; null to look from outside only. */
  way: LoginWaySchema.nullable(),
});

export const ExposureSchema = z.object({
  /** How far a looking is that goes on; null while there is none. */
  running: z.object({ done: z.number(), of: z.number() }).nullable(),
  /** Why the newest looking ended early; empty otherwise. */
  message: z.string(),
  /** The newest look at each board that was looked at. */
  devices: z.array(
    z.object({
      deviceId: z.uuid(),
      at: z.number(),
      by: z.string(),
      /** Where it was. */
      address: z.string(),
      ports: z.array(ReachedPortSchema),
      /** Why the bench saw it from outside only; empty where it was inside. */
      outsideOnly: z.string(),
      findings: z.array(ExposureFindingSchema),
    }),
  ),
  /** Boards that could not be looked at in the newest looking, and why. */
  missed: z.array(z.object({ deviceId: z.uuid(), why: z.string() })),
});
export type Exposure = z.infer<typeof ExposureSchema>;
