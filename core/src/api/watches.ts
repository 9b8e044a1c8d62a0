import * as z from 'zod';
import { ClueSourceSchema, ListeningSourceSchema } from '../locate/clue';

export type { ClueSource, ListeningSource } from '../locate/clue';

/** Messages about listening for boards. Times are milliseconds since 1970. */

/** A network that this computer is on. */
export const PlaceSchema = z.object({
  /** The interface; `practice` for the practice bench. */
  name: z.string(),
  address: z.string(),
  subnet: z.string(),
  ipv6: z.boolean(),
  wireless: z.boolean(),
});
export type Place = z.infer<typeof PlaceSchema>;

/** By which of this computer's interfaces a subnet is reached; null where that is not known. */
export const NetworkWaySchema = z.object({
  way: z.object({ interface: z.string(), gateway: z.string().nullable() }).nullable(),
});
export type NetworkWay = z.infer<typeof NetworkWaySchema>;
export const WayQuerySchema = z.object({ subnet: z.string().max(64) });

export const StartWatchSchema = z.object({
  sources: z.array(ListeningSourceSchema).max(ListeningSourceSchema.options.length),
  /** Names of networks. */
  places: z.array(z.string().max(40)).max(16),
  port: z.number().int().min(1).max(65_535),
  /** Path of a list of hosts on the station's computer, where one is to be read again and again. */
  listPath: z.string().max(400).default(''),
});
export type StartWatch = z.infer<typeof StartWatchSchema>;

/** Listening for the boards of a batch: one run, as long as a person wants it. */
export const WatchSchema = z.object({
  id: z.uuid(),
  batchId: z.uuid(),
  station: z.string(),
  state: z.enum(['queued', 'running', 'done', 'interrupted', 'cancelled', 'failed']),
  port: z.number(),
  places: z.array(z.string()),
  listPath: z.string(),
  sources: z.array(
    z.object({
      source: ListeningSourceSchema,
      on: z.boolean(),
      /** Why it is off, or what it came to. */
      message: z.string(),
    }),
  ),
  message: z.string(),
  at: z.number(),
});
export type Watch = z.infer<typeof WatchSchema>;

/** A host that was heard of and did not prove to be a device of this batch. */
export const HeardHostSchema = z.object({
  addresses: z.array(z.string()),
  hardwareAddress: z.string().nullable(),
  names: z.array(z.string()),
  sources: z.array(ClueSourceSchema),
  since: z.number(),
  at: z.number(),
  left: z.boolean(),
  /** Who registered its hardware address, in words; empty where nobody knows. */
  maker: z.string(),
  /** Whether it was not there when somebody remembered who was. */
  isNew: z.boolean(),
  /** The device of this batch that a person said it is; null for none. */
  namedAs: z.uuid().nullable(),
  /** What is to be said of it, in words; empty for nothing. */
  told: z.string(),
});
export type HeardHost = z.infer<typeof HeardHostSchema>;

/** Who was there at a time, for the question what came since. */
export const RememberedSchema = z.object({
  at: z.number(),
  /** How many hosts were there. */
  hosts: z.number(),
});
export type Remembered = z.infer<typeof RememberedSchema>;

/** That a host which was heard is a device's board, as a person says; null takes that back. */
export const NamingSchema = z.object({
  deviceId: z.uuid(),
  hardwareAddress: z.string().max(17).nullable(),
});
export type Naming = z.infer<typeof NamingSchema>;

export const TABLE_TEXT_LIMIT = 1 << 20;

/** A list of hosts, pasted or dropped; or addresses that were typed. */
export const TableTextSchema = z.object({ text: z.string().max(TABLE_TEXT_LIMIT) });

export const GivenCluesSchema = TableTextSchema.extend({
  source: z.enum(['table', 'hand']),
  port: z.number().int().min(1).max(65_535),
});
export type GivenClues = z.infer<typeof GivenCluesSchema>;

/** What a list was understood as, before anything is contacted. */
export const TablePreviewSchema = z.object({
  form: z.string(),
  rows: z.array(
    z.object({
      line: z.number(),
      address: z.string().nullable(),
      hardwareAddress: z.string().nullable(),
      name: z.string().nullable(),
      gone: z.boolean(),
      /** Host name of the device of this batch that it may be; empty for none. */
      device: z.string(),
    }),
  ),
  passed: z.number(),
});
export type HostTable = z.infer<typeof TablePreviewSchema>;
