import * as z from 'zod';
import { nameOf } from '../plain-name';

/** A kind of supply: what each of its sockets may give, and all of them together. */
export const SupplySchema = z.object({
  id: nameOf(40),
  title: nameOf(80),
  count: z.number().int().min(0).max(1000),
  /** Rating of each socket, in amperes at 5 V. */
  ports: z.array(z.number().min(0).max(50)).max(64),
  /** Rating of the whole supply, in amperes. */
  totalAmps: z.number().min(0).max(500),
});
export type Supply = z.infer<typeof SupplySchema>;

/** What hangs on each board and draws from its supply. */
export const PeripheralSchema = z.object({
  title: nameOf(80),
  /** Current of each, in milliamperes at 5 V. */
  milliamp: z.number().min(0).max(20_000),
  /** Only devices of this role have it; empty for all. */
  role: nameOf(80),
});
export type Peripheral = z.infer<typeof PeripheralSchema>;

export const CableSchema = z.object({
  metres: z.number().min(0).max(100),
  /** American wire gauge of the two supply conductors (ASTM B258). */
  awg: z.number().int().min(10).max(40),
  /** Resistance of all contacts in the path together, in milliohms. */
  contactMilliohm: z.number().min(0).max(5000),
  /** Temperature of the copper, in degrees Celsius. */
  celsius: z.number().min(-60).max(150),
  /** Voltage at the supply's socket under load. */
  sourceVolts: z.number().min(3).max(48),
});
export type Cable = z.infer<typeof CableSchema>;

/** How the boards are fed. Without supplies each board has one of its own, as its profile asks for. */
export const PowerPlanSchema = z.object({
  supplies: z.array(SupplySchema).max(16).default([]),
  peripherals: z.array(PeripheralSchema).max(16).default([]),
  /** Share of a rating that is left unused, in percent (common practice: a fifth). */
  marginPercent: z.number().min(0).max(90).default(20),
  cable: CableSchema.default({ metres: 1, awg: 24, contactMilliohm: 50, celsius: 30, sourceVolts: 5.1 }),
});
export type PowerPlan = z.infer<typeof PowerPlanSchema>;
