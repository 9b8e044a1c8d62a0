import * as z from 'zod';

/** How the trial of a key ended. */
export const KeyVerdictSchema = z.enum([
  'right',
  'wrong-key',
  'not-heard',
  'other-security',
  'no-address',
  'full',
  'apart',
  'no-answer',
]);
export type KeyVerdict = z.infer<typeof KeyVerdictSchema>;

export const verdictTitles: Record<KeyVerdict, string> = {
  right: 'The key is right',
  'wrong-key': 'The key is wrong',
  'not-heard': 'The network is not heard',
  'other-security': 'Its security is another one',
  'no-address': 'Joined, but no address came',
  full: 'It takes no more clients',
  apart: 'The key is right, but its clients cannot see each other',
  'no-answer': 'It did not answer',
};

/** The trial of a key, as it is on record. */
export const TriedKeySchema = z.object({
  verdict: KeyVerdictSchema,
  message: z.string(),
  /** In dBm; null where it was not told. */
  signal: z.number().nullable(),
  /** Milliseconds since 1970. */
  at: z.number(),
  seconds: z.number(),
  adapter: z.string(),
  /** Where that was. */
  station: z.string(),
  /** Whether nothing of the network was changed since. */
  current: z.boolean(),
});
export type TriedKey = z.infer<typeof TriedKeySchema>;
