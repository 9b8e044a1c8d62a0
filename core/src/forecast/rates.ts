import * as z from 'zod';

/** What this bench has measured of one reader with one kind of card. Rates in octets a second. */
export const MeasuredRateSchema = z.object({
  /** Which reader. */
  reader: z.string(),
  /** Kind of card as its reader names it, with its size. */
  cardKind: z.string(),
  /** How many cards stand behind it. */
  count: z.number().int(),
  write: z.object({ low: z.number(), middle: z.number(), high: z.number() }),
  verify: z.object({ low: z.number(), middle: z.number(), high: z.number() }),
});
export type MeasuredRate = z.infer<typeof MeasuredRateSchema>;

/** Quantile by linear interpolation between the order statistics (R's type 7). @param share 0 to 1 */
export function quantile(values: readonly number[], share: number): number {
  const sorted = [...values].sort((a, b) => a - b);
  const place = (sorted.length - 1) * share;
  const below = Math.floor(place);
  const low = sorted[below] ?? NaN;
  return low + ((sorted[below + 1] ?? low) - low) * (place - below);
}

/** Low, middle and high of some rates: the tenth, fiftieth and ninetieth percentile. */
export const spread = (values: readonly number[]): MeasuredRate['write'] => ({
  low: quantile(values, 0.1),
  middle: quantile(values, 0.5),
  high: quantile(values, 0.9),
});

/** One number for a forecast from all measured rates, weighted by how many cards stand behind each; null without any. */
export function pooled(
  rates: readonly MeasuredRate[],
  phase: 'write' | 'verify',
): { low: number; middle: number; high: number; count: number } | null {
  const count = rates.reduce((sum, rate) => sum + rate.count, 0);
  if (count === 0) return null;
  const mean = (of: 'low' | 'middle' | 'high'): number =>
    rates.reduce((sum, rate) => sum + rate[phase][of] * rate.count, 0) / count;
  return { low: mean('low'), middle: mean('middle'), high: mean('high'), count };
}
