import * as z from 'zod';

/** A class of board by what it can do. */
export const BoardProfileSchema = z.object({
  id: z.string(),
  title: z.string(),
  wordBits: z.union([z.literal(32), z.literal(64)]),
  memoryMiB: z.number().int().positive(),
  wifiBands: z.array(z.enum(['2.4 GHz', '5 GHz'])),
  ethernet: z.boolean(),
  storage: z.enum(['card', 'emmc', 'usb']),
  /** How long a first boot takes as a rule, in seconds. */
  firstBootSeconds: z.number().positive(),
});
export type BoardProfile = z.infer<typeof BoardProfileSchema>;

/** Neutral profiles; the times are common practice (a couple of minutes for a first boot). */
export const boardProfiles: readonly BoardProfile[] = [
  {
    id: 'full-64',
    title: 'Full-size, 64 bit, two bands, wired',
    wordBits: 64,
    memoryMiB: 4096,
    wifiBands: ['2.4 GHz', '5 GHz'],
    ethernet: true,
    storage: 'card',
    firstBootSeconds: 120,
  },
  {
    id: 'compact-64',
    title: 'Compact, 64 bit, 2.4 GHz only',
    wordBits: 64,
    memoryMiB: 512,
    wifiBands: ['2.4 GHz'],
    ethernet: false,
    storage: 'card',
    firstBootSeconds: 180,
  },
  {
    id: 'compact-32',
    title: 'Compact, 32 bit, 2.4 GHz only, slow',
    wordBits: 32,
    memoryMiB: 512,
    wifiBands: ['2.4 GHz'],
    ethernet: false,
    storage: 'card',
    firstBootSeconds: 300,
  },
];

/** Profile by id; the first one when the id is unknown, so that an old plan still opens. */
export function boardProfile(id: string): BoardProfile {
  const found = boardProfiles.find((profile) => profile.id === id) ?? boardProfiles[0];
  if (!found) throw new Error('no board profiles are defined');
  return found;
}
