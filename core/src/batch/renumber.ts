import type { Plan } from './model';
import { fillPattern } from './names';
import { parseNest } from './nests';

/** Place of a nest for sorting: row by row; a broken one comes last. */
const placeOf = (nest: string): number => {
  const place = parseNest(nest);
  return place ? place.row * 1000 + place.column : Number.MAX_SAFE_INTEGER;
};

/**
 * Names devices anew in the order of their nests.
 * @param ids the devices, all when empty
 * @throws PatternError when the pattern cannot be used
 */
export function renumber(plan: Plan, ids: ReadonlySet<string>, pattern: string, first: number): Plan {
  const chosen = plan.devices
    .filter(({ id }) => ids.size === 0 || ids.has(id))
    .sort((a, b) => placeOf(a.nest) - placeOf(b.nest));
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
