import * as z from 'zod';
import { OwnDescriptionSchema } from '../plan/own-method';
import { CardFilesSchema } from './plans';

/** Messages about first-boot methods that people described. */

export const SaveMethodSchema = z.object({ description: OwnDescriptionSchema });

/** What a description would make for a device, before it is kept. */
export const TryMethodSchema = z.object({
  description: OwnDescriptionSchema,
  imageId: z.uuid(),
  batchId: z.uuid(),
  deviceId: z.uuid(),
});
export type TryMethod = z.infer<typeof TryMethodSchema>;

export const TriedMethodSchema = z.object({
  /** Why the files cannot be made; empty when they can. */
  problem: z.string(),
  files: CardFilesSchema.shape.files,
});
export type TriedMethod = z.infer<typeof TriedMethodSchema>;
