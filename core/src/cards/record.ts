import * as z from 'zod';

const time = z.number();

/** How a capacity check ended, or how far it is. */
export const CapacityCheckSchema = z.object({
  state: z.enum(['running', 'good', 'lies', 'bad', 'failed', 'interrupted']),
  at: time,
  /** In plain words: what was found and what to do. */
  text: z.string(),
  /** Octets that the card really holds, where that was found out. */
  realSize: z.number().nullable(),
  /** 0 to 1. */
  share: z.number(),
});
export type CapacityCheck = z.infer<typeof CapacityCheckSchema>;

/** One writing of a card. */
export const CardWritingSchema = z.object({
  at: time,
  state: z.string(),
  /** Why it failed; null when it did not. */
  fault: z.string().nullable(),
  batchName: z.string(),
  hostName: z.string(),
  mark: z.string(),
  nest: z.string(),
  /** Octets per second; null where it was not measured. */
  writeRate: z.number().nullable(),
  verifyRate: z.number().nullable(),
});
export type CardWriting = z.infer<typeof CardWritingSchema>;

/** What one card has been through, newest writing first. */
export const CardRecordSchema = z.object({
  key: z.string(),
  model: z.string(),
  size: z.number(),
  note: z.string(),
  retired: z.boolean(),
  firstSeen: time,
  writings: z.array(CardWritingSchema),
  capacity: CapacityCheckSchema.nullable(),
});
export type CardRecord = z.infer<typeof CardRecordSchema>;
