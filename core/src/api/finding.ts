import * as z from 'zod';
import { BroughtUpSchema } from '../progress/brought-up';
import { CardStateSchema } from '../progress/standing';
import { RoundSchema } from './rounds';
import { HeardHostSchema, RememberedSchema, WatchSchema } from './watches';

/** Messages about searches, what they saw, and how far each device is. Times are milliseconds since 1970. */

const time = z.number();

export const SightingSchema = z.object({
  id: z.string(),
  searchId: z.string(),
  address: z.string(),
  port: z.number(),
  hardwareAddress: z.string().nullable(),
  banner: z.string().nullable(),
  hostKey: z.string().nullable(),
  keyProven: z.boolean(),
  at: time,
});

/** A host that is none of the batch's devices. */
export const StrangerSchema = SightingSchema.extend({
  /** What is known of it, in words: a board of another batch, or a key that it shows and did not sign with. */
  known: z.string(),
});
export type StrangerView = z.infer<typeof StrangerSchema>;

export const SearchSchema = z.object({
  id: z.uuid(),
  batchId: z.uuid(),
  subnet: z.string(),
  port: z.number(),
  /** The station whose network it looks through. */
  station: z.string(),
  state: z.enum(['queued', 'running', 'done', 'interrupted', 'cancelled', 'failed']),
  done: z.number(),
  total: z.number(),
  message: z.string(),
  at: time,
});
export type Search = z.infer<typeof SearchSchema>;

export const StartSearchSchema = z.object({
  subnet: z.string().max(64),
  port: z.number().int().min(1).max(65_535),
});

/** What happened to each device, for the ring and the tables. */
export const DeviceProgressSchema = z.object({
  deviceId: z.uuid(),
  card: z.object({ state: CardStateSchema, share: z.number(), at: time, message: z.string() }).nullable(),
  poweredAt: time.nullable(),
  handedOverAt: time.nullable(),
  carrierDoneAt: time.nullable(),
  /** How far it is with being brought up; null where nobody began. */
  bringUp: BroughtUpSchema.nullable(),
  fingerprint: z.string().nullable(),
  /** Who it probably is among those that were heard and did not prove who they are. */
  heard: z
    .object({
      standing: z.enum(['likely', 'guess']),
      address: z.string().nullable(),
      at: time,
      why: z.string(),
    })
    .nullable(),
  seen: z
    .object({
      standing: z.enum(['proved', 'likely', 'guess']),
      at: time,
      address: z.string(),
      port: z.number(),
      hardwareAddress: z.string().nullable(),
      evidence: z.string(),
      alsoAt: z.array(z.string()),
      /** What is remarkable about it, a sentence each. */
      told: z.array(z.string()),
    })
    .nullable(),
});
export type DeviceProgress = z.infer<typeof DeviceProgressSchema>;

export const BatchProgressSchema = z.object({
  batchId: z.uuid(),
  devices: z.array(DeviceProgressSchema),
  strangers: z.array(StrangerSchema),
  rounds: z.array(RoundSchema),
  search: SearchSchema.nullable(),
  watch: WatchSchema.nullable(),
  /** Hosts that were heard by the watch and are none of the batch's proved devices; the newest first. */
  hosts: z.array(HeardHostSchema),
  /** Who was remembered as being there before; null where nobody asked for it. */
  remembered: RememberedSchema.nullable(),
  /** Seconds from power-on to proof that this bench has seen, by kind of board; see `kindOf`. */
  arrivals: z.record(z.string(), z.array(z.number())),
  /** What to look at first, where boards are away longer than usual; empty for nothing. */
  look: z.string(),
});
export type BatchProgress = z.infer<typeof BatchProgressSchema>;

export const DeviceIdsSchema = z.object({ deviceIds: z.array(z.uuid()).min(1).max(1000) });
