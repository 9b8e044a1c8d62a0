import * as z from 'zod';

const place = z.number().int().nonnegative();

/** What can be wrong with a stand-in card; places are octets from its start. */
export const CardFaultsSchema = z.object({
  /** Every write that covers this octet stores another value there. */
  wrongByteAt: place.nullable().default(null),
  /** Writing or reading beyond this octet fails. */
  diesAtByte: place.nullable().default(null),
  /** Octets per second that the card can take, when it is slower than its slot. */
  rate: z.number().positive().nullable().default(null),
  /** The card reports its full size, but holds less: what lies beyond lands on its beginning again, or nowhere. */
  lies: z
    .object({ realSize: z.number().int().positive().multipleOf(4096), beyond: z.enum(['wraps', 'loses']) })
    .nullable()
    .default(null),
  /** Pulled and put back as this octet is written. */
  losesContactAt: place.nullable().default(null),
  /** The request that covers this octet is answered late, once. */
  late: z
    .object({ at: place, seconds: z.number().min(0).max(600) })
    .nullable()
    .default(null),
  /** The lock on its side is set. */
  locked: z.boolean().default(false),
  /** Another program holds it. */
  busy: z.boolean().default(false),
});
export type CardFaults = z.infer<typeof CardFaultsSchema>;

export const noCardFaults: CardFaults = CardFaultsSchema.parse({});
