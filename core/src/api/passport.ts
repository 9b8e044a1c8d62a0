import * as z from 'zod';
import { CardStateSchema } from '../progress/standing';
import { DeviceSchema } from '../plan/model';
import { BoardStateSchema, BoardStepSchema } from './bring-up';
import { SightingSchema } from './finding';
import { TerminalRecordSchema } from './terminals';

/** Messages about everything that is on record about one device. Times are milliseconds since 1970. */

/** A card that was written for a device. */
export const PassportCardSchema = z.object({
  /** Key of its card record; null for one of an earlier version. */
  key: z.string().nullable(),
  model: z.string(),
  /** Octets; null where the reader's word is not on record. */
  size: z.number().nullable(),
  round: z.number(),
  state: CardStateSchema,
  at: z.number(),
  message: z.string(),
  imageTitle: z.string(),
  /** Digest of the image that was confirmed for it; null for one of an earlier version. */
  imageSha256: z.string().nullable(),
  method: z.string().nullable(),
  /** The name that the device had then. */
  hostName: z.string(),
  /** Whether this writing is still on the card, as far as is known here; the newest of these is the device's card. */
  carries: z.boolean(),
});
export type PassportCard = z.infer<typeof PassportCardSchema>;

/** A device that has left its plan. */
export const RetiredDeviceSchema = z.object({
  /** As it was planned last. */
  device: DeviceSchema,
  at: z.number(),
  /** Why, as somebody wrote it down; empty otherwise. */
  reason: z.string(),
});
export type RetiredDevice = z.infer<typeof RetiredDeviceSchema>;

/** One time that it was brought up. */
export const PassportBringUpSchema = z.object({
  at: z.number(),
  state: BoardStateSchema,
  /** Why a person was needed; empty otherwise. */
  message: z.string(),
  /** In the order in which they were last told. */
  steps: z.array(BoardStepSchema.extend({ title: z.string() })),
});
export type PassportBringUp = z.infer<typeof PassportBringUpSchema>;

/** Why a device was retired, and whether what lets the bench in is destroyed. */
export const RetirementSchema = z.object({
  reason: z.string().trim().max(400),
  /** Destroys the private half of its host key and its password here. */
  forget: z.boolean(),
});

export const PassportSchema = z.object({
  batchId: z.uuid(),
  deviceId: z.uuid(),
  /** The host key's public half as known_hosts has it; null before it was made. */
  hostKey: z.string().nullable(),
  fingerprint: z.string().nullable(),
  /** Null while it is in the plan. */
  retired: RetiredDeviceSchema.nullable(),
  /** Who has it now; null while nobody was noted. */
  takenOver: z.object({ by: z.string(), at: z.number() }).nullable(),
  /** When the bench destroyed the private half of its host key and its password; null while it has them. */
  secretsForgottenAt: z.number().nullable(),
  /** Newest first. */
  cards: z.array(PassportCardSchema),
  /** Hosts that showed its host key, signed with or not, newest first. */
  sightings: z.array(SightingSchema),
  /** The newest times that it was brought up, with what each step found; newest first. */
  broughtUp: z.array(PassportBringUpSchema),
  /** What was kept of terminals to it, newest first. */
  terminals: z.array(TerminalRecordSchema),
});
export type Passport = z.infer<typeof PassportSchema>;

/** Something that was found among all batches there ever were. */
export const FoundSchema = z.object({
  kind: z.enum(['device', 'card', 'image', 'batch']),
  /** Of a card its key. */
  id: z.string(),
  title: z.string(),
  /** What tells it from others: mark and batch of a device, size of a card. */
  more: z.string(),
  /** By what it was found, in words. */
  by: z.string(),
  /** A batch from which it can be opened; null while there is none. */
  batchId: z.uuid().nullable(),
});
export type Found = z.infer<typeof FoundSchema>;
