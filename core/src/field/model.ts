import * as z from 'zod';
import { DaySchema } from '../move/model';

export const cellKinds = ['lithium-ion', 'lithium-iron', 'nickel', 'lead'] as const;
export type CellKind = (typeof cellKinds)[number];

export const cellTitles: Record<CellKind, string> = {
  'lithium-ion': 'lithium-ion',
  'lithium-iron': 'lithium iron phosphate',
  nickel: 'nickel metal hydride',
  lead: 'lead acid',
};

const percent = (least: number): z.ZodNumber => z.number().min(least).max(100);

/** What a board runs on where there is no socket. */
export const BatterySchema = z.object({
  cells: z.enum(cellKinds).default('lithium-ion'),
  /** As printed on it, at the voltage of its cells. */
  milliampHours: z.number().min(1).max(10_000_000).default(20_000),
  /** Of its cells, not of its socket. */
  volts: z.number().min(0.5).max(100).default(3.7),
  /** Of what is in the cells, what comes out at the board's 5 V. */
  efficiencyPercent: percent(1).default(85),
  /** Of its capacity, how much may be taken out. */
  usablePercent: percent(1).default(90),
  /** Of the time that it lasts, how much is kept back. */
  marginPercent: z.number().min(0).max(90).default(20),
  /** The coldest that it gets, in °C. */
  coldest: z.number().min(-40).max(60).default(10),
  /** Of the time, how much the board is awake. */
  awakePercent: z.number().min(0).max(100).default(100),
  /** What is drawn while it is not, in milliwatts, with whatever wakes it. */
  asleepMilliwatt: z.number().min(0).max(100_000).default(0),
  /** How long it has to last, in hours. */
  hours: z.number().min(0.1).max(100_000).default(8),
});
export type Battery = z.infer<typeof BatterySchema>;

/** A batch's trip to where it will work, as people plan it. */
export const FieldPlanSchema = z.object({
  /** The network that serves there, such as a phone's hotspot; null while none is chosen. */
  networkId: z.uuid().nullable().default(null),
  day: DaySchema.default(''),
  /** Who goes; all devices of the batch where the list is empty. */
  deviceIds: z.array(z.uuid()).max(1000).default([]),
  /** Minutes after which a rehearsal ends, whoever is missing. */
  minutes: z.number().int().min(1).max(120).default(15),
  spareCards: z.number().int().min(0).max(1000).default(1),
  /** One for each board; null where they are fed by a socket. */
  battery: BatterySchema.nullable().default(null),
});
export type FieldPlan = z.infer<typeof FieldPlanSchema>;

/** Trying at home, or the day itself. */
export const purposes = ['rehearsal', 'site'] as const;
export const PurposeSchema = z.enum(purposes);
export type Purpose = z.infer<typeof PurposeSchema>;

/** One try: which boards were proved over the field's network, and when. */
export const RehearsalSchema = z.object({
  id: z.uuid(),
  purpose: PurposeSchema,
  network: z.string(),
  networkId: z.uuid(),
  networkVersion: z.number().int(),
  begunAt: z.number(),
  begunBy: z.string(),
  /** Null while it goes on. */
  endedAt: z.number().nullable(),
  passed: z.boolean().nullable(),
  verdict: z.string(),
  boards: z.array(
    z.object({
      deviceId: z.string(),
      /** As it was called then. */
      hostName: z.string(),
      /** Where it was proved; null where it was not. */
      address: z.string().nullable(),
      provedAt: z.number().nullable(),
    }),
  ),
});
export type Rehearsal = z.infer<typeof RehearsalSchema>;

/** Things to look at before leaving, and on site, with who looks at each. */
export const tripCheckIds = [
  'written',
  'rehearsed',
  'battery',
  'bundle',
  'phone',
  'charged',
  'spares',
  'labels',
  'cables',
  'power-off',
  'somebody',
  'allowed',
  'hotspot-on',
  'laptop-on',
  'one-first',
  'all-on',
  'proved',
  'visits',
  'closed',
] as const;
export const TripCheckIdSchema = z.enum(tripCheckIds);
export type TripCheckId = z.infer<typeof TripCheckIdSchema>;

export const TripCheckSchema = z.object({
  id: TripCheckIdSchema,
  text: z.string(),
  why: z.string(),
  /** Whether the bench sees to it itself, or a hand ticks it. */
  by: z.enum(['bench', 'hand']),
  done: z.boolean(),
});
export type TripCheck = z.infer<typeof TripCheckSchema>;
