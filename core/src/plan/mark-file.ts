import * as z from 'zod';
import { nameOf } from '../plain-name';

/** Path of the file on the boot partition that names the card's device. */
export const MARK_ON_CARD = 'nest-mark.json';

/** What is used of that file; a card comes from anywhere, so nothing of it is believed but its form. */
export const MarkFileSchema = z.object({
  mark: nameOf(32),
  nest: nameOf(8),
  hostName: nameOf(64),
  batchId: z.string().max(64),
  deviceId: z.string().max(64).default(''),
  /** Which writing it was, as the seed's instance id says it. */
  writing: z.string().max(128).default(''),
});
export type MarkFile = z.infer<typeof MarkFileSchema>;

/** Reads the file's octets; null when it is not one of ours. */
export function readMark(content: Uint8Array): MarkFile | null {
  try {
    return MarkFileSchema.safeParse(JSON.parse(new TextDecoder().decode(content))).data ?? null;
  } catch {
    return null;
  }
}
