import type { Plan } from './model';
import { fillPattern } from './names';
import { compareNests } from './nests';

/**
 * Names devices anew in the order of their nests.
 * @param ids the devices, all when empty
 * @throws PatternError when the pattern cannot be used
 */
export function renumber(plan: Plan, ids: ReadonlySet<string>, pattern: string, first: number): Plan {
  const chosen = plan.devices
    .filter(({ id }) => ids.size === 0 || ids.has(id))
    .sort((a, b) => compareNests(a.nest, b.nest));
  const names = fillPattern(
    pattern,
    chosen.map(({ nest, role }, index) => ({ n: first + index, nest, role, site: plan.site })),
  );
  const nameOf = new Map(chosen.map(({ id }, index) => [id, names[index] ?? '']));
  return {
    ...plan,
    devices: plan.devices.map((device) => ({
      ...device,
      hostName: nameOf.get(device.id) ?? device.hostName,
    })),
  };
}
