import * as z from 'zod';
import { BoardProfileSchema, ShelvedBoardSchema } from '../batch/boards';
import { ImageAboutSchema } from '../batch/model';
import { MeasuredRateSchema } from '../bench/rates';
import { NetworkSchema, ShelvedNetworkSchema } from '../wifi/network';
import { PlanSchema } from '../batch/model';
import { nameOf } from '../plain-name';

/** A network to be made or saved; a key left out is kept, an empty one forgets it. */
export const SaveNetworkSchema = z.object({ network: NetworkSchema, secret: z.string().max(255).optional() });
export type SaveNetwork = z.infer<typeof SaveNetworkSchema>;

export const NetworkListSchema = z.array(ShelvedNetworkSchema);

export const SaveBoardSchema = z.object({ board: BoardProfileSchema });
export const BoardListSchema = z.array(ShelvedBoardSchema);

export const SaveImageAboutSchema = z.object({
  title: nameOf(120).trim().min(1),
  about: ImageAboutSchema,
});

export const RateListSchema = z.array(MeasuredRateSchema);

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
