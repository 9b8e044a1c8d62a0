import { trayFor } from './fill-tray';
import type { Device, Plan } from './model';
import { nestsOf } from './nests';

/** The plan without a device: it retires, and the server keeps all that is on record about it. */
export const retire = (plan: Plan, deviceId: string): Plan => ({
  ...plan,
  devices: plan.devices.filter(({ id }) => id !== deviceId),
});

/**
 * The plan with a retired device again, with its old mark. Where another device lies in its nest by now, or the tray
 * has become smaller, it takes the first free nest; a tray that is full grows.
 */
export function bringBack(plan: Plan, device: Device): Plan {
  if (plan.devices.some(({ id }) => id === device.id)) return plan;
  const tray = trayFor(plan, plan.devices.length + 1);
  const taken = new Set(plan.devices.map(({ nest }) => nest));
  const free = nestsOf(tray.rows, tray.columns).filter((nest) => !taken.has(nest));
  const nest = free.includes(device.nest) ? device.nest : (free[0] ?? device.nest);
  return { ...plan, tray, devices: [...plan.devices, { ...device, nest }] };
}
