import * as z from 'zod';
import { FindingSchema } from '../batch/finding';
import {
  FirstBootMethodIdSchema,
  ImageAboutSchema,
  PasswordFaultSchema,
  PlanSchema,
  SurroundingsSchema,
} from '../batch/model';
import { MarkFileSchema } from '../batch/mark-file';
import { CardStateSchema } from '../batch/state';
import { fileSystems } from '../disk/inspect';
import { ImageClueSchema } from '../images/clues';
import { nameOf } from '../plain-name';
import { CardRecordSchema, MediumIdentitySchema } from './cards';

/** Messages of the server about plans, images, cards, scans and the log. Times are milliseconds since 1970. */

const time = z.number();

/** An error as RFC 9457 problem details, with a stable code. */
export const ProblemSchema = z.object({
  type: z.string(),
  title: z.string(),
  status: z.number(),
  code: z.string(),
  detail: z.string(),
});
export type Problem = z.infer<typeof ProblemSchema>;

/** What is known of a plan's shared password, never the password itself. */
export const PasswordStateSchema = z.object({
  state: z.enum(['missing', 'kept']),
  faults: z.array(PasswordFaultSchema),
});

export const BatchSchema = z.object({
  id: z.uuid(),
  version: z.number().int(),
  plan: PlanSchema,
  password: PasswordStateSchema,
  surroundings: SurroundingsSchema,
  /** Findings of the server. */
  findings: z.array(FindingSchema),
});
export type Batch = z.infer<typeof BatchSchema>;

export const BatchSummarySchema = z.object({
  id: z.uuid(),
  name: z.string(),
  site: z.string(),
  devices: z.number(),
  updatedAt: time,
});
export type BatchSummary = z.infer<typeof BatchSummarySchema>;

/** Secrets left out are kept; an empty text forgets one. */
export const SavePlanSchema = z.object({
  plan: PlanSchema,
  secrets: z.object({
    userPassword: z.string().max(255).optional(),
  }),
});
export type SavePlan = z.infer<typeof SavePlanSchema>;

export const ImagePartitionSchema = z.object({
  number: z.number(),
  type: z.number(),
  bootable: z.boolean(),
  offset: z.number(),
  size: z.number(),
  fileSystem: z.enum(fileSystems),
  label: z.string(),
});

export const ImageSchema = z.object({
  id: z.uuid(),
  title: z.string(),
  state: z.enum(['checking', 'ready', 'failed']),
  message: z.string(),
  addedAt: time,
  packing: z.enum(['raw', 'xz', 'gzip', 'zstd', 'zip']).nullable(),
  packedSize: z.number().nullable(),
  packedSha256: z.string().nullable(),
  rawSize: z.number().nullable(),
  rawSha256: z.string().nullable(),
  partitions: z.array(ImagePartitionSchema),
  /** The one that is used: chosen by a person, or detected. */
  method: FirstBootMethodIdSchema,
  detected: FirstBootMethodIdSchema,
  /** Why it was detected. */
  methodReason: z.string(),
  about: ImageAboutSchema,
  /** Octets that the shelf's own copy takes on the disk. */
  keptSize: z.number().nullable(),
  /** Octets unpacked so far, while it is being read. */
  unpacked: z.number().nullable(),
  /** What lies in the root of its boot partition. */
  bootFiles: z.array(z.object({ name: z.string(), size: z.number(), folder: z.boolean() })),
  /** What its octets tell of it: word width, system, age, each with the reason. */
  seen: z.array(ImageClueSchema),
});
export type Image = z.infer<typeof ImageSchema>;

export const AddImageSchema = z.object({
  path: z.string().trim().min(1, 'Give the path of the image file.').max(4096),
  title: nameOf(120).trim(),
  /** Digits, a line or a whole list as published; empty where there is none. */
  sha256: z.string().max(200_000),
});

export const MediumSchema = z.object({
  identity: MediumIdentitySchema,
  model: z.string(),
  removable: z.boolean(),
  readOnly: z.boolean(),
  mounted: z.array(z.string()),
  system: z.boolean(),
  holds: z.string(),
  /** What speaks against its being a card to write on. */
  caution: z.string().nullable(),
  label: MarkFileSchema.nullable(),
});

/** One slot of the next round. */
export const ProposedCardSchema = z.object({
  slotId: z.string(),
  slotTitle: z.string(),
  medium: MediumSchema.nullable(),
  deviceId: z.uuid().nullable(),
  /** Why this medium must not be written. */
  refusal: z.string().nullable(),
  /** What a person has to type to have it written all the same; null where nobody may. */
  overruledBy: z.string().nullable(),
  /** What this card has been through; null for one that was never written here. */
  record: CardRecordSchema.nullable(),
  /** The device whose verified card this is; such a card is never proposed for erasing. */
  verifiedFor: z
    .object({
      deviceId: z.uuid(),
      hostName: z.string(),
      mark: z.string(),
      nest: z.string(),
      batchName: z.string(),
    })
    .nullable(),
});
export type ProposedCard = z.infer<typeof ProposedCardSchema>;
export const ProposalSchema = z.object({
  cards: z.array(ProposedCardSchema),
  /** When the reader was looked at. */
  at: time,
  /** Why nothing can be written at all. */
  blockers: z.array(z.string()),
  waiting: z.number(),
});
export type Proposal = z.infer<typeof ProposalSchema>;

export const ArmRoundSchema = z.object({
  cards: z
    .array(
      z.object({
        slotId: z.string(),
        deviceId: z.uuid(),
        identity: MediumIdentitySchema,
        /** What the person typed about a medium that does not look like a card. */
        overrule: z.string().max(400).optional(),
      }),
    )
    .min(1, 'Choose at least one card.')
    .max(16),
  /** `erase N`, typed by a person. */
  confirm: z.string(),
  /** When the proposal was made that the person looked at. */
  lookedAt: time,
});
export type ArmRound = z.infer<typeof ArmRoundSchema>;

/** Takes unfinished cards of a round up again: all of them, or the one of a slot. */
export const ResumeRoundSchema = z.object({
  confirm: z.string(),
  lookedAt: time,
  only: z.string().optional(),
  /** What the person looked at in the slots of those cards: a card that was written in part is not what it was. */
  media: z
    .array(
      z.object({
        slotId: z.string(),
        identity: MediumIdentitySchema,
        overrule: z.string().max(400).optional(),
      }),
    )
    .max(16),
});
export type ResumeRound = z.infer<typeof ResumeRoundSchema>;

/** Milliseconds after which what a person looked at no longer counts. */
export const LOOK_LASTS = 10 * 60_000;

/** Milliseconds by which the time of a look may lie ahead: the proposal bears the server's own time. */
export const LOOK_AHEAD = 2_000;

/** What has to be typed to arm a round of so many cards. */
export const armingPhrase = (count: number): string => `erase ${String(count)}`;

export const RoundCardSchema = z.object({
  slotId: z.string(),
  deviceId: z.uuid(),
  serial: z.string(),
  /** Which card record it belongs to. */
  cardKey: z.string().nullable(),
  state: CardStateSchema,
  share: z.number(),
  /** Octets per second at present; 0 when unknown. */
  rate: z.number(),
  secondsLeft: z.number().nullable(),
  message: z.string(),
  at: time,
  /** Whether it was read back past the system's cache; null while that is not known. */
  pastCache: z.boolean().nullable(),
});
export type RoundCard = z.infer<typeof RoundCardSchema>;

export const RoundSchema = z.object({
  id: z.uuid(),
  batchId: z.uuid(),
  number: z.number(),
  state: z.enum(['queued', 'running', 'done', 'interrupted', 'cancelled']),
  /** Held between two blocks. */
  paused: z.boolean(),
  startedAt: time,
  endedAt: time.nullable(),
  cards: z.array(RoundCardSchema),
});
export type Round = z.infer<typeof RoundSchema>;

export const SightingSchema = z.object({
  id: z.string(),
  scanId: z.string(),
  address: z.string(),
  port: z.number(),
  hardwareAddress: z.string().nullable(),
  banner: z.string().nullable(),
  hostKey: z.string().nullable(),
  keyProven: z.boolean(),
  at: time,
});

/** A host that is none of the batch's devices. */
export const StrangerSchema = SightingSchema.extend({
  /** What is known of it, in words: a board of another batch, or a key that it shows and did not sign with. */
  known: z.string(),
});
export type StrangerView = z.infer<typeof StrangerSchema>;

export const ScanSchema = z.object({
  id: z.uuid(),
  batchId: z.uuid(),
  subnet: z.string(),
  port: z.number(),
  state: z.enum(['queued', 'running', 'done', 'interrupted', 'cancelled', 'failed']),
  done: z.number(),
  total: z.number(),
  message: z.string(),
  at: time,
});
export type Scan = z.infer<typeof ScanSchema>;

export const StartScanSchema = z.object({
  subnet: z.string().max(64),
  port: z.number().int().min(1).max(65_535),
});

/** What happened to each device, for the ring and the tables. */
export const DeviceProgressSchema = z.object({
  deviceId: z.uuid(),
  card: z.object({ state: CardStateSchema, share: z.number(), at: time, message: z.string() }).nullable(),
  poweredAt: time.nullable(),
  handedOverAt: time.nullable(),
  carrierDoneAt: time.nullable(),
  fingerprint: z.string().nullable(),
  seen: z
    .object({
      standing: z.enum(['proved', 'likely', 'guess']),
      at: time,
      address: z.string(),
      port: z.number(),
      hardwareAddress: z.string().nullable(),
      evidence: z.string(),
      alsoAt: z.array(z.string()),
    })
    .nullable(),
});
export type DeviceProgress = z.infer<typeof DeviceProgressSchema>;

export const BatchProgressSchema = z.object({
  batchId: z.uuid(),
  devices: z.array(DeviceProgressSchema),
  strangers: z.array(StrangerSchema),
  rounds: z.array(RoundSchema),
  scan: ScanSchema.nullable(),
});
export type BatchProgress = z.infer<typeof BatchProgressSchema>;

export const DeviceIdsSchema = z.object({ deviceIds: z.array(z.uuid()).min(1).max(1000) });

export const LogEntrySchema = z.object({
  id: z.string(),
  at: time,
  kind: z.string(),
  batchId: z.string().nullable(),
  deviceId: z.string().nullable(),
  cardSerial: z.string().nullable(),
  text: z.string(),
});
export type LogEntry = z.infer<typeof LogEntrySchema>;

/** What the event stream tells: what changed, not the whole of it. */
export const ServerEventSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('round'), round: RoundSchema }),
  z.object({ type: z.literal('scan'), scan: ScanSchema }),
  z.object({ type: z.literal('image'), image: ImageSchema }),
  z.object({ type: z.literal('progress'), batchId: z.string() }),
  z.object({ type: z.literal('batches') }),
  z.object({ type: z.literal('networks') }),
  z.object({ type: z.literal('boards') }),
  z.object({ type: z.literal('slots') }),
  z.object({ type: z.literal('cards') }),
  z.object({ type: z.literal('settings') }),
  z.object({ type: z.literal('practice') }),
  z.object({ type: z.literal('log') }),
]);
export type ServerEvent = z.infer<typeof ServerEventSchema>;
