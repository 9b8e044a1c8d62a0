import * as z from 'zod';
import { nameOf } from '../plain-name';

/** What a person decides about the kit; prices and stock by the id of the kit line. */
export const KitPlanSchema = z.object({
  /** Spare parts of what wears or breaks, in percent. */
  sparePercent: z.number().min(0).max(200).default(10),
  /** Size on the card's label, in decimal GB. */
  cardGB: z.number().int().min(1).max(4096).default(32),
  cardClass: z.enum(['class-10', 'u3']).default('class-10'),
  camera: z.boolean().default(false),
  /** Sets of video and USB adapters for the day when a board must be opened up to a screen. */
  serviceSets: z.number().int().min(0).max(100).default(1),
  currency: nameOf(8).default('EUR'),
  prices: z.record(nameOf(120), z.number().min(0).max(1e7)).default({}),
  stock: z.record(nameOf(120), z.number().int().min(0).max(1e6)).default({}),
});
export type KitPlan = z.infer<typeof KitPlanSchema>;
