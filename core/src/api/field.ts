import * as z from 'zod';
import { TripCheckSchema, FieldPlanSchema, PurposeSchema, RehearsalSchema } from '../field/model';
import { MoveFindingSchema } from '../move/model';
import { nameOf } from '../plain-name';

/** Messages of trips into the field. */

export const VisitSchema = z.object({
  id: z.uuid(),
  deviceId: z.string(),
  at: z.number(),
  who: z.string(),
  note: z.string(),
  /** Of its battery, as measured; null where nobody did. */
  volts: z.number().nullable(),
});
export type Visit = z.infer<typeof VisitSchema>;

export const FieldViewSchema = z.object({
  batchId: z.uuid(),
  /** 0 while nothing was saved. */
  version: z.number().int(),
  plan: FieldPlanSchema,
  findings: z.array(MoveFindingSchema),
  /** Who goes. */
  boards: z.array(
    z.object({
      deviceId: z.string(),
      /** How long it lasts on its battery, as JSON can tell it; null where that is not known. */
      life: z
        .object({
          watts: z.number(),
          hours: z.number().nullable(),
          kept: z.number().nullable(),
          needed: z.number(),
        })
        .nullable(),
      /** Whether it was proved at home again after the newest rehearsal; null where there is nothing to say. */
      home: z.boolean().nullable(),
    }),
  ),
  cautions: z.array(z.string()),
  standing: z.enum(['none', 'failed', 'lapsed', 'passed']),
  why: z.string(),
  /** Newest first. */
  rehearsals: z.array(RehearsalSchema),
  before: z.array(TripCheckSchema),
  site: z.array(TripCheckSchema),
  visits: z.array(VisitSchema),
  bundleAt: z.number().nullable(),
});
export type FieldView = z.infer<typeof FieldViewSchema>;

export const SaveFieldSchema = z.object({ plan: FieldPlanSchema });
export const TrySchema = z.object({
  purpose: PurposeSchema,
  /** Of the trip as it was looked at. */
  version: z.number().int(),
});
export const TickSchema = z.object({ ticked: z.boolean() });
export const NewVisitSchema = z.object({
  deviceId: z.uuid(),
  note: nameOf(2000).trim().min(1, 'Say in a few words what you saw or did.'),
  volts: z.number().min(0).max(1000).nullable(),
});
export type NewVisit = z.infer<typeof NewVisitSchema>;
export const BundleSchema = z.object({
  /** Under which keys go along, encrypted; null for none of them. */
  passphrase: z.string().min(12, 'Use a passphrase of 12 characters or more.').max(255).nullable(),
});
