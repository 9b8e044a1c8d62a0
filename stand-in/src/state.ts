import { readFileSync, renameSync, writeFileSync } from 'node:fs';
import * as z from 'zod';
import { AirSchema, CardFaultsSchema, noCardFaults, SystemFaultSchema } from '@nest-mark/core/api';
import { BoardFaultSchema, DrillStateSchema } from './drill/state';

const StandInCardSchema = z.object({
  id: z.string(),
  title: z.string(),
  model: z.string(),
  size: z.number().int().positive(),
  serial: z.string(),
  removable: z.boolean(),
  readOnly: z.boolean(),
  faults: CardFaultsSchema,
});
export type StandInCard = z.infer<typeof StandInCardSchema>;

const StandInBoardSchema = z.object({
  nest: z.string(),
  hardwareAddress: z.string(),
  cardId: z.string().nullable(),
  powered: z.boolean(),
  /** What a drill hides in it. */
  fault: BoardFaultSchema.nullable().default(null),
  /** Nest of the board whose card was copied onto the one in it. */
  copyOf: z.string().nullable().default(null),
  /** What is wrong with its system once it has started. */
  spoilt: SystemFaultSchema.nullable().default(null),
});
export type StandInBoard = z.infer<typeof StandInBoardSchema>;

/** A board as it lies on the bench before anybody touched it. */
export const freshBoard = (nest: string, hardwareAddress: string): StandInBoard =>
  StandInBoardSchema.parse({ nest, hardwareAddress, cardId: null, powered: false });

const LabStateSchema = z.object({
  cards: z.array(StandInCardSchema),
  /** Card in each slot, by slot id. */
  slots: z.record(z.string(), z.string().nullable()),
  boards: z.array(StandInBoardSchema),
  air: AirSchema,
  /** What the address servers of both networks remember: addresses by hardware address. */
  leases: z
    .object({ first: z.record(z.string(), z.string()), second: z.record(z.string(), z.string()) })
    .default({ first: {}, second: {} }),
  /** A second network beside it; null where there is none. */
  other: AirSchema.nullable().default(null),
  bootSeconds: z.number().min(0).max(600),
  /** Octets per second that each slot can take; 0 for as fast as the disk. */
  slotRate: z.number().min(0),
  /** Whether the reader tells the cards' own serial numbers; many behind USB do not (common practice). */
  serials: z.boolean().default(true),
  drill: DrillStateSchema.nullable().default(null),
  /** Folder of the boards' systems; null before the first one. */
  roots: z.string().nullable().default(null),
});
export type LabState = z.infer<typeof LabStateSchema>;

const GB = 1e9;

/** A reader with four slots and a drawer of cards; the sizes are decimal, as sellers count. */
export function freshLab(network: string): LabState {
  const cards = Array.from({ length: 16 }, (_, index): StandInCard => ({
    id: `card-${String(index + 1).padStart(2, '0')}`,
    title: `Card ${String(index + 1)}`,
    model: 'Practice card, class 10',
    size: 16 * GB,
    serial: `p${(0x51a7 + index * 0x0101).toString(16)}`,
    removable: true,
    readOnly: false,
    faults: noCardFaults,
  }));
  const odd = (id: string, title: string, change: Partial<StandInCard>): StandInCard => ({
    id,
    title,
    model: 'Practice card, old',
    size: 16 * GB,
    serial: id,
    removable: true,
    readOnly: false,
    faults: noCardFaults,
    ...change,
  });
  return {
    cards: [
      ...cards,
      odd('card-small', 'Small old card', { size: 64e6 }),
      odd('card-locked', 'Card with its lock set', { readOnly: true }),
      odd('card-bad', 'Card with a bad spot', { faults: { ...noCardFaults, wrongByteAt: 50_000_003 } }),
      odd('card-false', 'Card that holds less than it says', {
        size: 64 * GB,
        faults: { ...noCardFaults, lies: { realSize: 8 * 2 ** 30, beyond: 'wraps' } },
      }),
      odd('card-slow', 'Slow card', { faults: { ...noCardFaults, rate: 3e6 } }),
      odd('backup-disk', 'Backup disk', { model: 'Practice disk in a USB box', size: 2000 * GB }),
    ],
    slots: { 'slot-1': null, 'slot-2': null, 'slot-3': null, 'slot-4': null },
    boards: [],
    air: {
      on: true,
      ssid: 'Saltmarsh Bench',
      passphrase: 'low tide at seven',
      country: 'DK',
      network,
      poolStart: 20,
      poolSize: 200,
      port: 2222,
      bands: ['2.4 GHz'],
      hidden: false,
      apart: false,
      elsewhere: false,
      carried: 0,
      clients: null,
      sleepsAfter: null,
    },
    leases: { first: {}, second: {} },
    other: null,
    bootSeconds: 5,
    slotRate: 40e6,
    serials: true,
    drill: null,
    roots: null,
  };
}

/** Reads a lab's state, or null when there is none. @throws ZodError when the file was spoilt */
export function loadState(path: string): LabState | null {
  let text: string;
  try {
    text = readFileSync(path, 'utf8');
  } catch {
    return null;
  }
  return LabStateSchema.parse(JSON.parse(text));
}

/** Writes the state in one step, so that a kill leaves the old or the new one. */
export function saveState(path: string, state: LabState): void {
  const draft = `${path}.new`;
  writeFileSync(draft, JSON.stringify(state, null, 1));
  renameSync(draft, path);
}
