import * as z from 'zod';

/** An error as RFC 9457 problem details, with a stable code. */
export const ProblemSchema = z.object({
  type: z.string(),
  title: z.string(),
  status: z.number(),
  code: z.string(),
  detail: z.string(),
});
export type Problem = z.infer<typeof ProblemSchema>;
