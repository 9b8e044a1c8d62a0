import type { Cable } from '../plan/power-plan';

/** Copper at 20 °C, ohm metre (International Annealed Copper Standard, IEC 60028). */
const RESISTIVITY_20 = 1.724e-8;
/** Change of resistance with temperature, per kelvin at 20 °C (IEC 60028: 3.93e-3). */
const TEMPERATURE_COEFFICIENT = 3.93e-3;

/** Diameter of a solid conductor, in metres: ASTM B258, d = 0.127 mm × 92^((36 − n) / 39). */
export const awgDiameter = (awg: number): number => 0.127e-3 * 92 ** ((36 - awg) / 39);

/** Resistance of one metre of one conductor, in ohms. */
export function ohmsPerMetre(awg: number, celsius: number): number {
  const area = (Math.PI / 4) * awgDiameter(awg) ** 2;
  return (RESISTIVITY_20 / area) * (1 + TEMPERATURE_COEFFICIENT * (celsius - 20));
}

/** Resistance of the whole path, there and back with its contacts, in ohms. */
export const pathOhms = (cable: Cable): number =>
  2 * cable.metres * ohmsPerMetre(cable.awg, cable.celsius) + cable.contactMilliohm / 1000;

/**
 * Voltage at the board's socket (Ohm's law over both conductors and the contacts), in volts; never below zero.
 * @param amps current that the board draws
 */
export const voltsAtBoard = (cable: Cable, amps: number): number =>
  Math.max(0, cable.sourceVolts - amps * pathOhms(cable));

/**
 * Longest cable that still leaves the board its least voltage, in metres; 0 when the contacts alone take too much,
 * Infinity when nothing is drawn.
 */
export function longestCable(cable: Cable, amps: number, minVolts: number): number {
  if (amps <= 0) return cable.sourceVolts >= minVolts ? Infinity : 0;
  const left = (cable.sourceVolts - minVolts) / amps - cable.contactMilliohm / 1000;
  return Math.max(0, left / (2 * ohmsPerMetre(cable.awg, cable.celsius)));
}

/**
 * Current that a socket's contacts carry, in amperes; null where it depends on the plug. USB-C: 3 A without a marked
 * cable (USB Type-C Cable and Connector Specification, section 4.5); micro USB: 1.8 A on the power contacts (Micro-USB
 * Cables and Connectors Specification 1.01, section 6.6). Both from memory.
 */
export const socketAmps: Readonly<Record<'USB-C' | 'micro USB' | 'barrel' | 'terminals', number | null>> = {
  'USB-C': 3,
  'micro USB': 1.8,
  barrel: null,
  terminals: null,
};

/** Least voltage that a high-power USB port gives at its socket under load (USB 2.0 section 7.2.2). */
export const USB_SOURCE_VOLTS = 4.75;
