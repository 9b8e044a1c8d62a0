import { listed } from '../listed';
import { differing, settingTitle } from './effective';
import type { Plan, SecretKind } from './model';

/** One thing that a save changed, in words for the log; never a secret's value. */
export interface PlanChange {
  text: string;
  deviceId?: string;
}

const settings: readonly { name: string; of: (plan: Plan) => unknown }[] = [
  { name: 'the name', of: (plan) => plan.name },
  { name: 'the site', of: (plan) => plan.site },
  { name: 'the tray', of: (plan) => plan.tray },
  { name: 'the board', of: (plan) => plan.boardProfileId },
  { name: 'the image', of: (plan) => plan.imageId },
  { name: 'who can log in', of: (plan) => plan.access },
  { name: 'the networks', of: (plan) => plan.networks },
  { name: 'the country', of: (plan) => plan.country },
  { name: 'the time zone', of: (plan) => plan.timeZone },
  { name: 'the locale', of: (plan) => plan.locale },
  { name: 'where the boards appear', of: (plan) => plan.network },
  { name: 'what else goes onto the cards', of: (plan) => plan.extras },
  { name: 'the power', of: (plan) => plan.power },
  { name: 'the kit', of: (plan) => plan.kit },
  { name: 'the bench', of: (plan) => plan.bench },
  { name: 'how boards are brought up', of: (plan) => plan.bringUp },
  { name: 'how boards are handed over', of: (plan) => plan.handOver },
  { name: 'how boards are reached from outside', of: (plan) => plan.vpn },
];

const secretNames: Record<SecretKind, string> = {
  userPassword: 'the password',
};

/**
 * What differs between two versions of a plan.
 * @param typed kinds of secrets that were typed anew
 */
export function planChanges(before: Plan, after: Plan, typed: readonly SecretKind[]): PlanChange[] {
  const changed = settings
    .filter(({ of }) => JSON.stringify(of(before)) !== JSON.stringify(of(after)))
    .map(({ name }) => name)
    .concat(typed.map((kind) => secretNames[kind]));
  const known = new Map(before.devices.map((device) => [device.id, device]));
  const kept = new Set(after.devices.map(({ id }) => id));
  const devices = after.devices.flatMap((device): PlanChange[] => {
    const old = known.get(device.id);
    const at = { deviceId: device.id };
    if (!old)
      return [
        { ...at, text: `${device.hostName} was planned in nest ${device.nest} with mark ${device.mark}.` },
      ];
    const parts = [
      ...(old.hostName === device.hostName ? [] : [`is now called ${device.hostName}`]),
      ...(old.nest === device.nest ? [] : [`lies in nest ${device.nest} now`]),
      ...(old.role === device.role ? [] : [`has the role "${device.role}" now`]),
      ...(old.mark === device.mark ? [] : [`has the mark ${device.mark} now`]),
      ...(old.notes === device.notes ? [] : ['has another note']),
      ...(JSON.stringify(old.overrides) === JSON.stringify(device.overrides)
        ? []
        : [
            `differs from its batch in ${listed(differing(device.overrides).map(settingTitle)) || 'nothing now'}`,
          ]),
    ];
    return parts.length > 0 ? [{ ...at, text: `${old.hostName} ${listed(parts)}.` }] : [];
  });
  const removed = before.devices
    .filter(({ id }) => !kept.has(id))
    .map((device): PlanChange => ({
      deviceId: device.id,
      text: `${device.hostName} (mark ${device.mark}) was taken out of the plan.`,
    }));
  return [
    ...(changed.length > 0 ? [{ text: `The plan was changed: ${listed(changed)}.` }] : []),
    ...devices,
    ...removed,
  ];
}
