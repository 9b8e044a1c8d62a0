import * as z from 'zod';

/** How a batch is handed over. */
export const HandOverPlanSchema = z.object({
  /** What gets a colour of its own on labels, in the tray and in tables. */
  colours: z.enum(['none', 'role', 'device']).default('none'),
  /** Whether boards show their colour before each prompt, from a file on their cards. */
  atPrompt: z.boolean().default(false),
});
export type HandOverPlan = z.infer<typeof HandOverPlanSchema>;
