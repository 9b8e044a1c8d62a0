import * as z from 'zod';
import { FindingSchema } from '../plan/finding';
import { PasswordFaultSchema, PlanSchema, SurroundingsSchema } from '../plan/model';

/** Messages about batches, their plans and plan files, and what a card of them will hold. */

const time = z.number();

/** What is known of a plan's shared password, never the password itself. */
export const PasswordStateSchema = z.object({
  state: z.enum(['missing', 'kept']),
  faults: z.array(PasswordFaultSchema),
});

export const BatchSchema = z.object({
  id: z.uuid(),
  version: z.number().int(),
  plan: PlanSchema,
  /** Public half of the bench's own key, a line; null while none was made. */
  benchKey: z.string().nullable(),
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

/** Key types that can be made here; security keys need their token and are made with ssh-keygen. */
export const KeyTypeSchema = z.enum([
  'ed25519',
  'rsa-3072',
  'rsa-4096',
  'ecdsa-256',
  'ecdsa-384',
  'ecdsa-521',
]);
export type KeyType = z.infer<typeof KeyTypeSchema>;

export const MakeKeySchema = z.object({
  type: KeyTypeSchema,
  comment: z
    .string()
    .trim()
    .max(120)
    .regex(/^[\x20-\x7e]*$/, 'Use plain characters in the comment.'),
  /** Encrypts the private key; empty for none. */
  passphrase: z.string().max(255),
});

export const MadeKeySchema = z.object({
  publicLine: z.string(),
  /** OpenSSH or PEM text; told once and kept nowhere. */
  privateText: z.string(),
  fingerprint: z.string(),
});
export type MadeKey = z.infer<typeof MadeKeySchema>;

/** Whether secrets go along with an exported plan, and under which passphrase. */
export const ExportPlanSchema = z.object({
  passphrase: z.string().min(12, 'Use a passphrase of 12 characters or more.').max(255).nullable(),
});

export const ImportPlanSchema = z.object({
  /** Text of the plan file. */
  file: z.string().max(8_000_000),
  passphrase: z.string().max(255).nullable(),
});

/** What taking over a plan file came to. */
export const ImportedPlanSchema = z.object({
  id: z.uuid(),
  plan: PlanSchema,
  /** What did not come along, or was changed, in sentences. */
  remarks: z.array(z.string()),
});
export type ImportedPlan = z.infer<typeof ImportedPlanSchema>;

/** The first-boot files of one device as they will be written. */
export const CardFilesSchema = z.object({
  method: z.string(),
  /** Why this method. */
  reason: z.string(),
  image: z.string(),
  /** Steps by hand, where nothing on the card tells the board its settings. */
  byHand: z.array(
    z.object({
      way: z.string(),
      steps: z.array(z.object({ text: z.string(), commands: z.array(z.string()) })),
    }),
  ),
  files: z.array(
    z.object({
      path: z.string(),
      size: z.number(),
      encoding: z.enum(['UTF-8', 'octets']),
      lineEnds: z.enum(['LF', 'CRLF', 'none']),
      lines: z.array(z.object({ text: z.string(), own: z.boolean() })),
    }),
  ),
});
export type CardFiles = z.infer<typeof CardFilesSchema>;

/** Secrets are masked unless they are asked for, which is logged. */
export const ShowCardFilesSchema = z.object({ reveal: z.boolean() });
