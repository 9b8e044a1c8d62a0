import * as z from 'zod';
import { AnswerSchema, CauseIdSchema, CheckIdSchema, MendPlaceSchema } from '../faults/model';

export type { Answer, CauseId, CheckId, MendPlace } from '../faults/model';

/** Messages about boards that do not appear. Times are milliseconds since 1970. */

const time = z.number();

/** Boards that are away for one reason, as far as can be told, and what to do next. */
export const CaseSchema = z.object({
  devices: z.array(z.object({ deviceId: z.uuid(), hostName: z.string(), nest: z.string() })),
  /** Whether a usual first boot is over for one of them. */
  due: z.boolean(),
  /** Whether anybody listened or searched since they were powered. */
  looked: z.boolean(),
  /** What they have in common, in a sentence; empty for one. */
  shared: z.string(),
  /** What is known without asking, a sentence each. */
  known: z.array(z.string()),
  /** What it may be, the most probable first. */
  causes: z.array(
    z.object({
      id: CauseIdSchema,
      title: z.string(),
      chance: z.enum(['probable', 'possible', 'unlikely']),
      mend: z.string(),
      place: MendPlaceSchema,
    }),
  ),
  /** What to look at next; null where nothing would tell more. */
  next: z
    .object({
      check: CheckIdSchema,
      question: z.string(),
      how: z.string(),
      minutes: z.number(),
      why: z.string(),
    })
    .nullable(),
  /** The cause, as good as known. */
  found: CauseIdSchema.nullable(),
  said: z.array(
    z.object({ check: CheckIdSchema, question: z.string(), answer: AnswerSchema, by: z.string(), at: time }),
  ),
  mended: z.array(
    z.object({ cause: CauseIdSchema, title: z.string(), inVain: z.boolean(), by: z.string(), at: time }),
  ),
});
export type CaseView = z.infer<typeof CaseSchema>;

export const CasesSchema = z.object({ cases: z.array(CaseSchema) });

const about = z.object({ deviceIds: z.array(z.uuid()).min(1).max(1000) });

/** What a person saw. */
export const CaseAnswerSchema = about.extend({ check: CheckIdSchema, answer: AnswerSchema });
export type CaseAnswer = z.infer<typeof CaseAnswerSchema>;

/** An answer that is taken back. */
export const CaseUnsaidSchema = about.extend({ check: CheckIdSchema });
export type CaseUnsaid = z.infer<typeof CaseUnsaidSchema>;

/** A cause that was mended; or that was mended in vain. */
export const CaseMendSchema = about.extend({ cause: CauseIdSchema, inVain: z.boolean() });
export type CaseMend = z.infer<typeof CaseMendSchema>;
