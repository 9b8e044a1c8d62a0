import { mendKeys } from '../access/key-list';
import type { Network } from '../wifi/network';
import type { Finding } from '../plan/finding';
import type { NetworkFacts, Plan } from '../plan/model';
import { BATCH_LIMIT } from '../plan/names';
import { nestsOf, parseNest, TRAY_LIMIT } from '../plan/nests';

/** A correction that a button can make, of the plan or of a network on the shelf. */
export type QuickFix =
  | { label: string; plan: Plan }
  | { label: string; networkId: string; network: Partial<Network> };

/** The name with the next number that no device has: `tank-04` after `tank-03`, `reed-2` after `reed`. */
export function freeName(name: string, taken: ReadonlySet<string>): string {
  const parts = /^(.*?)(\d+)$/.exec(name);
  const stem = parts?.[1] ?? `${name}-`;
  const digits = parts?.[2] ?? '1';
  for (let step = 1; step <= BATCH_LIMIT + 1; step++) {
    const next = stem + String(Number(digits) + step).padStart(digits.length, '0');
    if (!taken.has(next.toLowerCase())) return next;
  }
  return name;
}

function freshName(plan: Plan, deviceId: string): QuickFix | null {
  const device = plan.devices.find(({ id }) => id === deviceId);
  if (!device?.hostName) return null;
  const hostName = freeName(
    device.hostName,
    new Set(plan.devices.map((other) => other.hostName.toLowerCase())),
  );
  return {
    label: `Call it ${hostName}`,
    plan: {
      ...plan,
      devices: plan.devices.map((other) => (other.id === deviceId ? { ...other, hostName } : other)),
    },
  };
}

/** Moves a device to a free nest; a full tray grows to hold the place that was meant. */
function freshNest(plan: Plan, deviceId: string): QuickFix | null {
  const device = plan.devices.find(({ id }) => id === deviceId);
  if (!device) return null;
  const taken = new Set(plan.devices.map((other) => other.nest));
  const free = nestsOf(plan.tray.rows, plan.tray.columns).find((nest) => !taken.has(nest));
  if (free !== undefined)
    return {
      label: `Move it to ${free}`,
      plan: {
        ...plan,
        devices: plan.devices.map((other) => (other.id === deviceId ? { ...other, nest: free } : other)),
      },
    };
  const place = parseNest(device.nest);
  if (!place || place.row >= TRAY_LIMIT.rows || place.column >= TRAY_LIMIT.columns) return null;
  const tray = {
    rows: Math.max(plan.tray.rows, place.row + 1),
    columns: Math.max(plan.tray.columns, place.column + 1),
  };
  const grown = tray.rows !== plan.tray.rows || tray.columns !== plan.tray.columns;
  return grown
    ? { label: `Make the tray ${String(tray.rows)} × ${String(tray.columns)}`, plan: { ...plan, tray } }
    : null;
}

function mendedKeys(plan: Plan, finding: Finding): QuickFix | null {
  if (finding.place !== 'access.keys' || finding.deviceId !== undefined) return null;
  const keys = mendKeys(plan.access.keys);
  return keys === plan.access.keys
    ? null
    : { label: 'Write it as one line', plan: { ...plan, access: { ...plan.access, keys } } };
}

/** What can be corrected at the press of a button, or null when only a person knows. */
export function quickFix(
  plan: Plan,
  finding: Finding,
  networks: readonly Pick<NetworkFacts, 'id' | 'ssid'>[],
): QuickFix | null {
  const { rule, deviceId } = finding;
  const network = networks.find(({ id }) => id === finding.networkId);
  if (rule === 'ssid-spaces' && network)
    return {
      label: 'Remove the spaces',
      networkId: network.id,
      network: { ssid: network.ssid.trim() },
    };
  if (rule === 'password-shared')
    return {
      label: 'Make one for each device',
      plan: { ...plan, access: { ...plan.access, passwordScope: 'each' } },
    };
  if (rule === 'key-form') return mendedKeys(plan, finding);
  if (deviceId === undefined) return null;
  if (rule === 'host-name-unique') return freshName(plan, deviceId);
  return rule === 'nest-place' ? freshNest(plan, deviceId) : null;
}
