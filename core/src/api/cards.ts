import * as z from 'zod';
import { USUAL_LARGEST_GB, writerBounds } from '../bench/writer-memory';

/** Messages about single cards and about what is set at the bench. Times are milliseconds since 1970. */

const time = z.number();

/** How a proof of a card ended, or how far it is. */
export const CardProofSchema = z.object({
  state: z.enum(['running', 'good', 'lies', 'bad', 'failed', 'interrupted']),
  at: time,
  /** In plain words: what was found and what to do. */
  text: z.string(),
  /** Octets that the card really holds, where that was found out. */
  realSize: z.number().nullable(),
  /** 0 to 1. */
  share: z.number(),
});
export type CardProof = z.infer<typeof CardProofSchema>;

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
  proof: CardProofSchema.nullable(),
});
export type CardRecord = z.infer<typeof CardRecordSchema>;

export const SaveCardSchema = z.object({ note: z.string().trim().max(500), retired: z.boolean() });
export type SaveCard = z.infer<typeof SaveCardSchema>;

/** What has to be typed before a card is proved, which erases it. */
export const proofPhrase = 'erase this card';

/** What makes a medium the one that a person looked at. */
export const MediumIdentitySchema = z.object({
  path: z.string(),
  size: z.number(),
  serial: z.string(),
  /** Digest of its first and last MiB and of its mark file; empty while it cannot be read. */
  content: z.string(),
});

export const ProveCardSchema = z.object({
  slotId: z.string(),
  identity: MediumIdentitySchema,
  confirm: z.string(),
  /** What the person typed about a medium that does not look like a card. */
  overrule: z.string().max(400).optional(),
  /** Restoring leaves the card with one empty partition over its full size. */
  what: z.enum(['prove', 'prove-and-restore', 'restore']),
});
export type ProveCard = z.infer<typeof ProveCardSchema>;

const within = ({ least, most, usual }: { least: number; most: number; usual: number }) =>
  z.number().int().min(least).max(most).default(usual);

/** What people set at a bench. */
export const BenchSettingsSchema = z.object({
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
  /** A sound when hands are needed. */
  sound: z.boolean().default(true),
});
export type BenchSettings = z.infer<typeof BenchSettingsSchema>;

/** One device's card as a file: the whole medium, plain or packed, or only its first-boot files in a zip archive. */
export const ExportCardSchema = z.object({ form: z.enum(['img', 'img.xz', 'img.zst', 'files']) });
export type ExportForm = z.infer<typeof ExportCardSchema>['form'];
export const ExportedCardSchema = z.object({ token: z.uuid(), fileName: z.string() });
