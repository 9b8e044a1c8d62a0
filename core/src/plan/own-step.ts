import * as z from 'zod';
import { nameOf } from '../plain-name';

/** A step that a person describes: a question that says whether it is done, and what does it. */
export const OwnStepSchema = z.object({
  id: z.uuid(),
  title: nameOf(60).trim().min(1, 'Give the step a title.'),
  why: z.string().max(400).default(''),
  /** Shell whose end says whether it is done: 0 for yes. */
  question: z.string().max(8000),
  /** Shell that does it. */
  does: z.string().max(32_000),
  root: z.boolean().default(true),
  /** Seconds after which it is stopped. */
  seconds: z.number().int().min(1).max(3600).default(120),
});
export type OwnStep = z.infer<typeof OwnStepSchema>;
