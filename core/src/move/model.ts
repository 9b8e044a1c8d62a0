import * as z from 'zod';
import { nameOf } from '../plain-name';

/** A day, as ISO 8601 writes it; empty while nobody knows. */
export const DaySchema = z.union([z.literal(''), z.iso.date()]);

/** A batch's move from one network to another, as people plan it. */
export const MovePlanSchema = z.object({
  /** Networks of the shelf; null while none is chosen. */
  fromId: z.uuid().nullable().default(null),
  toId: z.uuid().nullable().default(null),
  /** A network that both are bridged with, such as a phone's hotspot; null for none. */
  bridgeId: z.uuid().nullable().default(null),
  /** Last day of the old network. */
  oldEnds: DaySchema.default(''),
  /** First day of the new one. */
  newBegins: DaySchema.default(''),
  /** Which of the two this computer reaches. */
  bench: z.enum(['old', 'both', 'new']).default('both'),
  /** Whose move it is; all devices of the batch where the list is empty. */
  deviceIds: z.array(z.uuid()).max(1000).default([]),
  /** Of the new network's profile on a board; where the board has higher ones, it is raised above them. */
  priority: z.number().int().min(1).max(900).default(25),
  /** Minutes after which a board goes back by itself, unless it was proved on the new network. */
  returnMinutes: z.number().int().min(1).max(60).default(5),
  /** Boards that switch at the same time, once one has come over. */
  groupSize: z.number().int().min(1).max(16).default(4),
  /** What is at hand on the day. */
  hands: z
    .object({
      /** A network cable that reaches from a socket of the new network. */
      cable: z.boolean().default(false),
      /** A wired adapter for boards without a socket. */
      wiredAdapter: z.boolean().default(false),
      screen: z.boolean().default(false),
      /** Adapters for small video and USB sockets. */
      adapters: z.boolean().default(false),
      /** Board profiles of which a spare board is there. */
      spares: z.array(nameOf(40)).max(50).default([]),
    })
    .default({ cable: false, wiredAdapter: false, screen: false, adapters: false, spares: [] }),
  /** Devices that no cable of the new network reaches. */
  outOfReach: z.array(z.uuid()).max(1000).default([]),
});
export type MovePlan = z.infer<typeof MovePlanSchema>;

export const wayIds = ['over-old', 'cable', 'bridge', 'screen', 'sister', 'settings', 'card'] as const;
export const WayIdSchema = z.enum(wayIds);
export type WayId = z.infer<typeof WayIdSchema>;

export const wayTitles: Record<WayId, string> = {
  'over-old': 'Over the old network',
  cable: 'By cable',
  bridge: 'By a bridge network',
  screen: 'By screen and keyboard',
  sister: 'Its card in a sister board',
  settings: 'The settings on its card',
  card: 'Its card written anew',
};

/** A way onto the new network, for one device. */
export const WaySchema = z.object({
  id: WayIdSchema,
  open: z.boolean(),
  /** Why it is open, or everything that closes it. */
  why: z.string(),
  /** First and last day on which it is open; empty for no bound. */
  from: z.string(),
  until: z.string(),
  /** Minutes of hands for one device (common practice). */
  minutes: z.number(),
  /** What can go wrong, in a few words. */
  risk: z.string(),
  needs: z.array(z.string()),
});
export type Way = z.infer<typeof WaySchema>;

/** What is wrong with a move as a whole, or worth knowing. */
export const MoveFindingSchema = z.object({
  text: z.string(),
  todo: z.string(),
  /** Whether nothing is begun before it is mended. */
  stops: z.boolean(),
  /** What a button can do about it; null for nothing. */
  fix: z.enum(['into-plan', 'out-of-plan']).nullable(),
});
export type MoveFinding = z.infer<typeof MoveFindingSchema>;
