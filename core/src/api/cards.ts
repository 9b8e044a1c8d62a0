import * as z from 'zod';
import { MarkFileSchema } from '../plan/mark-file';
import { FirstBootMethodIdSchema } from '../plan/model';

/** Messages about single cards and what is on them. Times are milliseconds since 1970. */

export const SaveCardSchema = z.object({ note: z.string().trim().max(500), retired: z.boolean() });
export type SaveCard = z.infer<typeof SaveCardSchema>;

/** What has to be typed before a card's capacity is checked, which erases it. */
export const capacityPhrase = 'erase this card';

/** What makes a medium the one that a person looked at. */
export const MediumIdentitySchema = z.object({
  path: z.string(),
  size: z.number(),
  serial: z.string(),
  /** Digest of its first and last MiB and of its mark file; empty while it cannot be read. */
  content: z.string(),
});

export const StartCapacityCheckSchema = z.object({
  slotId: z.string(),
  identity: MediumIdentitySchema,
  confirm: z.string(),
  /** What the person typed about a medium that does not look like a card. */
  overrule: z.string().max(400).optional(),
  /** Restoring leaves the card with one empty partition over its full size. */
  what: z.enum(['check', 'check-and-restore', 'restore']),
});
export type StartCapacityCheck = z.infer<typeof StartCapacityCheckSchema>;

/** What reading some of a card came to; nothing was written. */
export const ReadTrialSchema = z.object({ octets: z.number(), seconds: z.number() });
export type ReadTrial = z.infer<typeof ReadTrialSchema>;

/** A disk of this computer as its system sees it. */
export const DiskSurveySchema = z.object({
  /** `/dev/sdb` */
  path: z.string(),
  model: z.string(),
  /** Octets. */
  size: z.number(),
  /** How it is connected; empty where the system does not tell. */
  bus: z.string(),
  holds: z.string(),
  mounted: z.array(z.string()),
  readOnly: z.boolean(),
  /** Whether it is a medium that people put in; the others are never written. */
  offered: z.boolean(),
  /** Why it is never offered; empty for one that is. */
  why: z.string(),
  readable: z.boolean(),
  writable: z.boolean(),
});
export type DiskSurvey = z.infer<typeof DiskSurveySchema>;

/** A card that was written here against what the plan says now. */
export const CardComparisonSchema = z.object({
  batchName: z.string(),
  /** Milliseconds since 1970; null when that writing is not on record. */
  writtenAt: z.number().nullable(),
  /** What is otherwise now, in sentences; empty when nothing is. */
  changes: z.array(z.string()),
});
export type CardComparison = z.infer<typeof CardComparisonSchema>;

/** What the server found on the card in a slot; like the core's own check, without the octets of the fixes. */
export const SlotCheckSchema = z.object({
  acts: FirstBootMethodIdSchema,
  title: z.string(),
  reason: z.string(),
  settings: z.object({
    hostName: z.string().nullable(),
    country: z.string().nullable(),
    networks: z.array(
      z.object({
        ssid: z.string(),
        security: z.enum(['open', 'wep', 'psk', 'sae']),
        hidden: z.boolean(),
        priority: z.number(),
      }),
    ),
    refusedFile: z.string().nullable(),
    users: z.array(z.object({ name: z.string(), keys: z.number(), password: z.boolean() })),
    passwordLogin: z.boolean(),
    loginService: z.boolean().nullable(),
  }),
  mark: MarkFileSchema.nullable(),
  findings: z.array(
    z.object({
      id: z.string(),
      severity: z.enum(['stops', 'warns', 'note']),
      file: z.string(),
      line: z.number().nullable(),
      byte: z.number().nullable(),
      message: z.string(),
      why: z.string(),
      advice: z.string(),
      /** Whether it can be mended on the card by a button. */
      mendable: z.boolean(),
    }),
  ),
  looked: z.array(z.string()),
  plan: CardComparisonSchema.nullable(),
  /** Whether its board takes settings in once more that are written onto it anew. */
  again: z.boolean(),
});
export type SlotCheck = z.infer<typeof SlotCheckSchema>;

/** A card's image by its path on the server's machine. */
export const CheckPathSchema = z.object({
  path: z.string().trim().min(1, 'Give the path of the image.').max(4096),
});

export const CheckSlotSchema = z.object({ identity: MediumIdentitySchema });

/** Mends one finding on the card itself; nothing else of the card is changed. */
export const MendSlotSchema = z.object({
  identity: MediumIdentitySchema,
  id: z.string(),
  file: z.string(),
  /** The line that was shown with the finding. */
  line: z.number().nullable(),
});
