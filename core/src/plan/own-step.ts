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
  /** The role whose devices it is for; empty for all. */
  role: nameOf(80).default(''),
  /** Seconds after which it is stopped. */
  seconds: z.number().int().min(1).max(3600).default(120),
});
export type OwnStep = z.infer<typeof OwnStepSchema>;

/** Own steps as a file, by which batches share them. */
export const OwnStepsFileSchema = z.object({
  nestMarkSteps: z.literal(1),
  steps: z.array(OwnStepSchema).max(20),
});
export type OwnStepsFile = z.infer<typeof OwnStepsFileSchema>;

/** Steps that came in a file, each with an id of its own; null when it is none of ours. */
export function readOwnSteps(text: string, id: () => string): OwnStep[] | null {
  try {
    const file = OwnStepsFileSchema.safeParse(JSON.parse(text));
    return file.success ? file.data.steps.map((step) => ({ ...step, id: id() })) : null;
  } catch {
    return null;
  }
}

/** The text of such a file (JSON, RFC 8259). */
export const ownStepsText = (steps: readonly OwnStep[]): string =>
  `${JSON.stringify({ nestMarkSteps: 1, steps } satisfies { nestMarkSteps: 1; steps: readonly OwnStep[] }, null, 2)}\n`;
