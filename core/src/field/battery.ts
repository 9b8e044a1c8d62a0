import type { BoardProfile } from '../boards/profiles';
import type { Device, Plan } from '../plan/model';
import { peripheralMilliamp } from '../power/power';
import type { Battery, CellKind } from './model';

/**
 * What a battery gives when it is cold, as a share of what it gives at 20 °C (common practice; values from memory, for
 * slow discharge): between two temperatures the straight line, outside them the nearest.
 */
const coldTables: Record<CellKind, readonly (readonly [celsius: number, share: number])[]> = {
  'lithium-ion': [
    [-20, 0.5],
    [-10, 0.7],
    [0, 0.85],
    [20, 1],
  ],
  'lithium-iron': [
    [-20, 0.4],
    [-10, 0.6],
    [0, 0.8],
    [20, 1],
  ],
  nickel: [
    [-20, 0.5],
    [-10, 0.7],
    [0, 0.85],
    [20, 1],
  ],
  lead: [
    [-20, 0.5],
    [-10, 0.65],
    [0, 0.8],
    [20, 1],
  ],
};

/** Share of its capacity that a battery gives at a temperature in °C, from 0 to 1. */
export function coldShare(cells: CellKind, celsius: number): number {
  const table = coldTables[cells];
  const above = table.findIndex(([at]) => celsius <= at);
  const [upper, lower] = [table[above], table[above - 1]];
  if (!upper) return 1;
  if (!lower) return upper[1];
  return lower[1] + ((celsius - lower[0]) / (upper[0] - lower[0])) * (upper[1] - lower[1]);
}

/** How long a board lasts on a battery. */
export interface Life {
  /** Energy in the cells, in watt hours. */
  stored: number;
  /** What of it reaches the board, in watt hours. */
  usable: number;
  /** What the board draws on the average, in watts. */
  watts: number;
  /** In hours; Infinity where nothing is drawn. */
  hours: number;
  /** The same less the margin. */
  kept: number;
  /** Batteries that a board needs for the hours that are wanted. */
  needed: number;
}

/** Voltage by which boards' currents are told. */
const BOARD_VOLTS = 5;

/**
 * Battery arithmetic: capacity × voltage × share that may be used × what the cold leaves × efficiency, over the average
 * of what is drawn awake and asleep.
 * @param milliamp what the board draws while it is awake, at 5 V
 */
export function batteryLife(battery: Battery, milliamp: number): Life {
  const stored = (battery.milliampHours / 1000) * battery.volts;
  const usable =
    stored *
    (battery.usablePercent / 100) *
    (battery.efficiencyPercent / 100) *
    coldShare(battery.cells, battery.coldest);
  const awake = battery.awakePercent / 100;
  const watts = awake * BOARD_VOLTS * (milliamp / 1000) + (1 - awake) * (battery.asleepMilliwatt / 1000);
  const hours = watts === 0 ? Infinity : usable / watts;
  const kept = hours * (1 - battery.marginPercent / 100);
  // Rounding error must not ask for a battery more.
  return { stored, usable, watts, hours, kept, needed: Math.max(1, Math.ceil(battery.hours / kept - 1e-9)) };
}

/** What a device draws in its usual work with what hangs on it, in milliamperes; null where its profile does not say. */
export function usualMilliamp(plan: Plan, device: Device, board: BoardProfile | null): number | null {
  if (!board || board.typicalMilliamp === null) return null;
  return board.typicalMilliamp + peripheralMilliamp(plan, device);
}

/** Least that many power banks take for a load: below it they switch off (common practice), in milliwatts. */
const LEAST_LOAD = 300;

/** Cautions on a battery; local rules and what its maker says go before them. */
export function batteryCautions(battery: Battery): string[] {
  const cautions = [
    'Damaged, swollen or wet cells are not used and not charged. Rules for carrying batteries differ: ask the carrier.',
  ];
  const lithium = battery.cells !== 'lead';
  if (battery.coldest < 0)
    cautions.push(
      lithium
        ? 'It gets below 0 °C: such cells are not charged while they are frozen, not by a solar panel either. Warm them first.'
        : 'It gets below 0 °C: an empty lead battery freezes and bursts. Bring it home charged.',
    );
  if (battery.coldest > 40)
    cautions.push(
      'It gets hotter than 40 °C: keep cells out of the sun, and do not charge them in a hot box.',
    );
  if (battery.awakePercent < 100 && battery.asleepMilliwatt < LEAST_LOAD)
    cautions.push(
      `Asleep it draws ${String(battery.asleepMilliwatt)} mW: many power banks take that for nothing and switch off. Try yours, or use a bare pack.`,
    );
  if (battery.cells === 'lead')
    cautions.push(
      'Lead batteries give off gas that explodes: charge them in the open, and cover their poles.',
    );
  return cautions;
}
