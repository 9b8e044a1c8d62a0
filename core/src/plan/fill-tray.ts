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

/** What is known of a device that is to be added. */
export type NewDevice = Pick<Device, 'hostName'> & Partial<Omit<Device, 'id' | 'mark' | 'hostName'>>;

/** The tray, grown by rows, then by columns, until it holds so many devices. */
export function trayFor({ tray }: Plan, count: number): Plan['tray'] {
  let { rows, columns } = tray;
  while (rows * columns < count && rows < TRAY_LIMIT.rows) rows++;
  while (rows * columns < count && columns < TRAY_LIMIT.columns) columns++;
  return { rows, columns };
}

/** Free nests for so many more devices, in reading order, in the tray as it has to grow. */
export function freeNests(plan: Plan, count: number): string[] {
  const taken = new Set(plan.devices.map((device) => device.nest));
  const { rows, columns } = trayFor(plan, plan.devices.length + count);
  return nestsOf(rows, columns)
    .filter((nest) => !taken.has(nest))
    .slice(0, count);
}

/**
 * Adds devices, each with a new mark and, where it names none, in the next free nest. A tray that is too small grows by
 * rows, then by columns.
 */
export function addNewDevices(plan: Plan, wanted: readonly NewDevice[], draw: Draw): Plan {
  const marks = new Set(plan.devices.map((device) => device.mark));
  const named = new Set(wanted.flatMap(({ nest }) => (nest ? [nest] : [])));
  const tray = trayFor(plan, plan.devices.length + wanted.length);
  const free = freeNests(plan, plan.devices.length + wanted.length + named.size).filter(
    (nest) => !named.has(nest),
  );
  let next = 0;
  const added = wanted.map((device): Device => {
    const mark = drawMark((below) => draw.random(below), marks);
    marks.add(mark);
    return {
      id: draw.id(),
      nest: device.nest || (free[next++] ?? nestName(tray.rows - 1, tray.columns - 1)),
      mark,
      hostName: device.hostName,
      role: device.role ?? '',
      notes: device.notes ?? '',
      overrides: device.overrides ?? {},
    };
  });
  return { ...plan, tray, devices: [...plan.devices, ...added] };
}

/** Adds devices for names that have one role. */
export const addDevices = (plan: Plan, names: readonly string[], role: string, draw: Draw): Plan =>
  addNewDevices(
    plan,
    names.map((hostName) => ({ hostName, role })),
    draw,
  );
