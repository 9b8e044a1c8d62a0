import { drawMark } from './marks';
import type { Device, Plan } from './model';
import { nestName, nestsOf, TRAY_LIMIT } from './nests';

/** Random values from outside, so that the core stays repeatable. */
export interface Draw {
  /** A whole number from 0 up to, but without, `below`. */
  random(below: number): number;
  /** A new UUID. */
  id(): string;
}

/**
 * Adds devices for names, each in the next free nest with a new mark. A tray that is too small grows by rows,
 * then by columns.
 */
export function addDevices(plan: Plan, names: readonly string[], role: string, draw: Draw): Plan {
  const taken = new Set(plan.devices.map((device) => device.nest));
  const marks = new Set(plan.devices.map((device) => device.mark));
  let { rows, columns } = plan.tray;
  const needed = plan.devices.length + names.length;
  while (rows * columns < needed && rows < TRAY_LIMIT.rows) rows++;
  while (rows * columns < needed && columns < TRAY_LIMIT.columns) columns++;
  const free = nestsOf(rows, columns).filter((nest) => !taken.has(nest));
  const added = names.map((hostName, index): Device => {
    const mark = drawMark((below) => draw.random(below), marks);
    marks.add(mark);
    return { id: draw.id(), nest: free[index] ?? nestName(rows - 1, columns - 1), mark, hostName, role };
  });
  return { ...plan, tray: { rows, columns }, devices: [...plan.devices, ...added] };
}
