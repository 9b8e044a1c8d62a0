import * as z from 'zod';
import { BoardProfileSchema } from '../boards/profiles';
import { PlanSchema } from '../plan/model';
import { nameOf } from '../plain-name';
import { NetworkSchema } from '../wifi/network';

/** Version of the file's form; raised when an older program could not read it rightly. */
export const PLAN_FILE_VERSION = 1;

/**
 * A batch's plan as a file (JSON, RFC 8259). Networks and board profiles travel along, images only by title and digest.
 * Secrets are left out, or encrypted under a passphrase as a JSON Web Encryption (RFC 7516) in compact form with
 * PBES2 (RFC 7518 section 4.8).
 */
export const PlanFileSchema = z.object({
  format: z.literal('nest-mark-plan'),
  version: z.literal(PLAN_FILE_VERSION),
  savedAt: z.iso.datetime(),
  plan: PlanSchema,
  networks: z.array(NetworkSchema.extend({ id: z.uuid() })).max(64),
  boards: z.array(BoardProfileSchema).max(64),
  images: z.array(z.object({ id: z.uuid(), title: nameOf(120), rawSha256: z.string().max(64) })).max(64),
  secrets: z.string().max(4_000_000).optional(),
});
export type PlanFile = z.infer<typeof PlanFileSchema>;

/** What is inside the encrypted part. */
export const PlanSecretsSchema = z.object({
  networks: z.record(z.uuid(), z.string().max(255)),
  userPassword: z.string().max(255).optional(),
});
export type PlanSecrets = z.infer<typeof PlanSecretsSchema>;

/** The published JSON Schema (draft 2020-12) of a plan file. */
export const planFileJsonSchema = (): object => ({
  ...z.toJSONSchema(PlanFileSchema, { io: 'input' }),
  title: 'Nest Mark plan file',
});

/** A plan file that cannot be read, with a sentence that says what to do. */
export class PlanFileError extends Error {
  override readonly name = 'PlanFileError';
}

/** Reads a plan file. @throws PlanFileError */
export function readPlanFile(text: string): PlanFile {
  let json: unknown;
  try {
    json = JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch (error) {
    throw new PlanFileError(
      `This is no plan file: it is not JSON (${error instanceof Error ? error.message : String(error)}). Choose a file that was saved with "Save plan".`,
    );
  }
  const head = z.object({ format: z.literal('nest-mark-plan'), version: z.number() }).safeParse(json);
  if (!head.success)
    throw new PlanFileError('This JSON is no plan file. Choose a file that was saved with "Save plan".');
  if (head.data.version > PLAN_FILE_VERSION)
    throw new PlanFileError(
      `The file was saved by a newer program (version ${String(head.data.version)} of its form, this one reads ${String(PLAN_FILE_VERSION)}). Bring this program up to date, or save the plan again there in an older form.`,
    );
  const file = PlanFileSchema.safeParse(json);
  if (file.success) return file.data;
  const [first] = file.error.issues;
  throw new PlanFileError(
    `The plan file is damaged at ${first?.path.join('.') || 'its top'}: ${first?.message ?? 'unknown'}. Nothing was taken over.`,
  );
}
