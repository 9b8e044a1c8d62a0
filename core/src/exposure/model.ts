import * as z from 'zod';

/** What was found when a board was asked who is let in and what answers. Nothing here is a secret. */

/** How a port answered. */
export const ReachedPortSchema = z.object({
  port: z.number().int(),
  /** What speaks there, by how it speaks and not by its number. */
  speaks: z.enum([
    'ssh',
    'http',
    'rfb',
    'rdp',
    'telnet',
    'ftp',
    'smtp',
    'mqtt',
    'redis',
    'database',
    'unknown',
  ]),
  /** Whether what follows is encrypted; null where that cannot be told from outside. */
  encrypted: z.boolean().nullable(),
  /** Whether it wants to know who asks; null where that cannot be told. */
  asksLogin: z.boolean().nullable(),
  /** The first words that it said, shown plainly. */
  said: z.string().max(120),
});
export type ReachedPort = z.infer<typeof ReachedPortSchema>;

/** What the board says of itself, where the bench could log in. */
export const InsideSchema = z.object({
  /** Accounts that somebody can log in to and the plan does not have, with by what. */
  strangers: z.array(z.object({ name: z.string(), ways: z.array(z.string()) })),
  /** Accounts with an empty password. */
  open: z.array(z.string()),
  /** Planned accounts that let keys in which the plan does not have: name, and how many. */
  moreKeys: z.array(z.object({ name: z.string(), keys: z.number() })),
  /** Whether the bench's own key still lets it in. */
  benchKey: z.boolean(),
  passwordLogin: z.boolean().nullable(),
  rootByPassword: z.boolean().nullable(),
  /** Ports on which something listens for others, by the kernel's own table. */
  listening: z.array(z.number().int()),
  /** Its own addresses that the whole internet could reach. */
  publicAddresses: z.array(z.string()),
});
export type Inside = z.infer<typeof InsideSchema>;

/** Everything that was found of one board. */
export const FoundOpenSchema = z.object({
  address: z.string(),
  port: z.number().int(),
  /** Ways of logging in that the login service offered to nobody in particular. */
  loginWays: z.array(z.string()),
  ports: z.array(ReachedPortSchema),
  /** Null where the bench has no way in. */
  inside: InsideSchema.nullable(),
  /** Why the inside is not known; empty otherwise. */
  outsideOnly: z.string(),
});
export type FoundOpen = z.infer<typeof FoundOpenSchema>;

export const ExposureSeveritySchema = z.enum(['grave', 'warns', 'note']);

/** One thing that is open to somebody. */
export const ExposureFindingSchema = z.object({
  id: z.string(),
  severity: ExposureSeveritySchema,
  /** What is so, in one sentence. */
  text: z.string(),
  /** Who can do what by it, as the beginning of a sentence. */
  toWhom: z.string(),
  /** What mends it. */
  todo: z.string(),
});
export type ExposureFinding = z.infer<typeof ExposureFindingSchema>;
