import * as z from 'zod';
import { CauseIdSchema, CheckIdSchema } from '../faults/model';
import { WifiBandSchema } from '../wifi/network';
import { CardFaultsSchema } from './card-faults';

/** Messages of the practice bench. */

/** The stand-in access point and its address server. */
export const AirSchema = z.object({
  on: z.boolean(),
  ssid: z.string().min(1).max(32),
  passphrase: z.string().min(8).max(63),
  country: z.string().length(2),
  /** First three parts of the subnet, as `127.44.7`. */
  network: z.string().regex(/^127\.\d{1,3}\.\d{1,3}$/),
  poolStart: z.number().int().min(2).max(250),
  /** Addresses to give out; with none, boards ask again and again. */
  poolSize: z.number().int().min(0).max(240),
  port: z.number().int().min(1).max(65_535),
  /** Bands on which the name is sent; practice boards hear 2.4 GHz only. */
  bands: z.array(WifiBandSchema).min(1).default(['2.4 GHz']),
  /** Whether the access point keeps its name to itself. */
  hidden: z.boolean().default(false),
  /** Whether it keeps its clients apart: then nobody here hears or reaches a board. */
  apart: z.boolean().default(false),
  /** Whether this computer is on another network. */
  elsewhere: z.boolean().default(false),
  /** By how many decibels this computer hears it more weakly than at the bench, as somebody who carries it away does. */
  carried: z.number().int().min(0).max(70).default(0),
  /** Clients that it takes at once; null for no bound. */
  clients: z.number().int().min(0).max(240).nullable().default(null),
  /** Seconds without a client after which it goes off by itself, as phones do; null for never. */
  sleepsAfter: z.number().min(0.05).max(3600).nullable().default(null),
});
export type Air = z.infer<typeof AirSchema>;

/** A fault that a drill can hide. */
export const DrillCauseSchema = CauseIdSchema.exclude(['unknown']);
export type DrillCause = z.infer<typeof DrillCauseSchema>;

/** Something that was looked at in a drill. */
export const LookSchema = z.object({
  check: CheckIdSchema,
  nest: z.string(),
  /** What eyes saw, in words. */
  saw: z.string(),
  minutes: z.number(),
});
export type Look = z.infer<typeof LookSchema>;

/** A drill as the person who does it may see it. */
export const DrillViewSchema = z.object({
  batchId: z.string(),
  /** Minutes of the story that have passed since power-on. */
  minutes: z.number(),
  looks: z.array(LookSchema),
  /** What was mended in vain. */
  inVain: z.array(CauseIdSchema),
  outcome: z.enum(['open', 'found', 'given up']),
  /** What it was and in which nest; null while that is open. */
  cause: CauseIdSchema.nullable(),
  nest: z.string().nullable(),
  /** The looks by which following the advice would have found it; null while that is open, or not known. */
  way: z.array(CheckIdSchema).nullable(),
});
export type DrillView = z.infer<typeof DrillViewSchema>;

/** What goes wrong on a practice board that has started. */
export const SystemFaultSchema = z.enum([
  'lock-held',
  'broken-download',
  'bad-package',
  'slow-package',
  'disk-full',
  'weak-supply',
  'service-failed',
  'slow-clock',
  'more-accounts',
  'open-screen',
  'open-password',
  'no-root',
  'never-returns',
  'key-changed',
  'slow-line',
  'mangles-key',
]);
export type SystemFault = z.infer<typeof SystemFaultSchema>;

/** What hands can do on the practice bench. */
export const PracticeActionSchema = z.discriminatedUnion('do', [
  z.object({ do: z.literal('insert'), cardId: z.string(), slotId: z.string() }),
  z.object({ do: z.literal('pull'), slotId: z.string() }),
  /** Fills empty slots with cards that were never written. */
  z.object({ do: z.literal('insertFresh') }),
  /** Takes out every card that is not being written. */
  z.object({ do: z.literal('pullIdle') }),
  /** Puts every written card of a batch from slots and drawer into the board of the nest on its label. */
  z.object({ do: z.literal('seat'), batchId: z.string() }),
  z.object({ do: z.literal('seatCard'), cardId: z.string(), nest: z.string().regex(/^[A-Z][1-9]\d?$/) }),
  z.object({ do: z.literal('takeCard'), nest: z.string() }),
  z.object({ do: z.literal('power'), nest: z.string(), on: z.boolean() }),
  z.object({ do: z.literal('powerAll'), on: z.boolean() }),
  z.object({ do: z.literal('cardFaults'), cardId: z.string(), faults: CardFaultsSchema }),
  z.object({
    do: z.literal('air'),
    air: AirSchema.pick({ on: true, ssid: true, passphrase: true, country: true }).extend({
      poolSize: AirSchema.shape.poolSize.optional(),
      bands: z.array(WifiBandSchema).min(1).optional(),
      hidden: z.boolean().optional(),
      apart: z.boolean().optional(),
      elsewhere: z.boolean().optional(),
      carried: z.number().int().min(0).max(70).optional(),
    }),
  }),
  /** A second network beside the first one, or none. */
  z.object({
    do: z.literal('other-air'),
    air: AirSchema.pick({
      on: true,
      ssid: true,
      passphrase: true,
      bands: true,
      hidden: true,
      apart: true,
      clients: true,
      sleepsAfter: true,
    }).nullable(),
  }),
  /** Spoils the system of a board that has started, or mends it. */
  z.object({ do: z.literal('spoil'), nest: z.string(), fault: SystemFaultSchema.nullable() }),
  /** Whether the reader tells the cards' own serial numbers. */
  z.object({ do: z.literal('serials'), told: z.boolean() }),
  /** Hides a fault among the boards of a batch, and powers them; any fault where none is named. */
  z.object({ do: z.literal('drill'), batchId: z.string(), cause: DrillCauseSchema.nullable() }),
  /** Looks at something while a drill goes on; it takes its minutes. */
  z.object({ do: z.literal('look'), check: CheckIdSchema, nest: z.string() }),
  /** Mends what is taken for the cause. */
  z.object({ do: z.literal('mend'), cause: CauseIdSchema }),
  /** Ends a drill; what was hidden is shown and undone. */
  z.object({ do: z.literal('endDrill') }),
  z.object({ do: z.literal('pace'), bootSeconds: z.number().min(0).max(600), slotRate: z.number().min(0) }),
]);
export type PracticeAction = z.infer<typeof PracticeActionSchema>;

/** A card as it lies on the practice bench. */
export const PracticeCardSchema = z.object({
  id: z.string(),
  title: z.string(),
  size: z.number(),
  faults: CardFaultsSchema,
  /** `slot-1`, `A1`, or null in the drawer. */
  place: z.string().nullable(),
  /** What its label says. */
  label: z.string().nullable(),
});

export const PracticeViewSchema = z.object({
  cards: z.array(PracticeCardSchema),
  slots: z.array(z.object({ id: z.string(), title: z.string(), cardId: z.string().nullable() })),
  boards: z.array(
    z.object({
      nest: z.string(),
      hardwareAddress: z.string(),
      cardId: z.string().nullable(),
      phase: z.enum(['off', 'starting', 'offline', 'online']),
      reason: z.string(),
      address: z.string().nullable(),
      hostName: z.string().nullable(),
      /** What goes wrong on its system once it has started; null where nothing does, or a drill hides it. */
      spoilt: SystemFaultSchema.nullable(),
    }),
  ),
  air: AirSchema,
  /** The second network; null while there is none. */
  other: AirSchema.nullable(),
  bootSeconds: z.number(),
  slotRate: z.number(),
  serials: z.boolean(),
  drill: DrillViewSchema.nullable(),
});
export type PracticeView = z.infer<typeof PracticeViewSchema>;
