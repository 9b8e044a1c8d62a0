import * as z from 'zod';
import { FirstBootMethodIdSchema } from '../batch/model';
import { MarkFileSchema } from '../batch/mark-file';
import { MediumIdentitySchema } from './cards';

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
});
export type SlotCheck = z.infer<typeof SlotCheckSchema>;

/** First-boot files as they go between browser and server; contents in base64. */
export const SentBootFilesSchema = z.object({
  names: z.array(z.string().max(255)).max(4000),
  files: z.array(z.object({ name: z.string().max(400), content: z.base64().max(800_000) })).max(400),
  label: z.string().max(16),
  bootedAs: z.string().max(256).nullable(),
  mountedAt: z.string().max(64).nullable(),
  elsewhere: z.array(z.string().max(400)).max(64),
});
export type SentBootFiles = z.infer<typeof SentBootFilesSchema>;

/** A card's image by its path on the server's machine. */
export const CheckPathSchema = z.object({
  path: z.string().trim().min(1, 'Give the path of the image.').max(4096),
});

const identity = MediumIdentitySchema;
export const CheckSlotSchema = z.object({ identity });
/** Mends one finding on the card itself; nothing else of the card is changed. */
export const MendSlotSchema = z.object({
  identity,
  id: z.string(),
  file: z.string(),
  /** The line that was shown with the finding. */
  line: z.number().nullable(),
});
