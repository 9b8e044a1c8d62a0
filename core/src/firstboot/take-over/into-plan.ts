import type { Adopted } from './adopted';
import { addNewDevices, type Draw } from '../../plan/fill-tray';
import { differing, settingsOf, withOverrides } from '../../plan/effective';
import type { Join, Overrides, Plan } from '../../plan/model';

/**
 * A plan with a device that was read from a card. An empty plan takes the settings as those of the batch; one with
 * devices keeps its own, and the device gets what it has otherwise.
 * @param networkIds places on the shelf of the card's networks, in their order
 */
export function adoptIntoPlan(plan: Plan, adopted: Adopted, networkIds: readonly string[], draw: Draw): Plan {
  const [main, ...others] = adopted.users;
  const networks = adopted.networks.flatMap(({ priority }, at): Join[] => {
    const networkId = networkIds[at];
    return networkId === undefined ? [] : [{ networkId, priority: Math.max(-999, Math.min(999, priority)) }];
  });
  const said: Overrides = {
    ...(main
      ? { userName: main.name, keys: main.keys.join('\n'), passwordLogin: adopted.passwordLogin }
      : {}),
    ...(networks.length > 0 ? { networks: networks.slice(0, 8) } : {}),
    ...(adopted.country === null ? {} : { country: adopted.country }),
    ...(adopted.timeZone === null ? {} : { timeZone: adopted.timeZone }),
    ...(adopted.locale === null ? {} : { locale: adopted.locale }),
  };
  const {
    userName,
    keys,
    passwordLogin,
    wiredAddress: _own,
    boardProfileId: _board,
    imageId: _image,
    ...places
  } = said;
  const fresh = plan.devices.length === 0;
  const base: Plan = fresh
    ? {
        ...plan,
        ...places,
        access: {
          ...plan.access,
          ...(userName === undefined ? {} : { userName }),
          ...(keys === undefined ? {} : { keys }),
          ...(passwordLogin === undefined ? {} : { passwordLogin }),
          others: others.slice(0, 8).map((other) => ({ ...other, keys: other.keys.join('\n') })),
        },
        extras: {
          ...plan.extras,
          ...(adopted.keyboard === null ? {} : { keyboard: adopted.keyboard }),
          ...(adopted.commands.length === 0 ? {} : { commands: `${adopted.commands.join('\n')}\n` }),
        },
      }
    : plan;
  const name = adopted.hostName ?? 'adopted';
  const same = (hostName: string): boolean => hostName.toLowerCase() === name.toLowerCase();
  const filled = base.devices.some(({ hostName }) => same(hostName))
    ? base
    : addNewDevices(base, [{ hostName: name }], draw);
  const device = filled.devices.find(({ hostName }) => same(hostName));
  if (!device) return filled;
  const now = settingsOf(filled, device);
  const change = Object.fromEntries(
    differing(said)
      .filter((setting) => JSON.stringify(now[setting]) !== JSON.stringify(said[setting]))
      .map((setting) => [setting, said[setting]]),
  );
  return withOverrides(filled, new Set([device.id]), change);
}

/** What of a card does not go into a plan, in sentences. @param plan as it was before */
export const leftOut = (plan: Plan, { keyboard, commands, users, left }: Adopted): string[] => [
  ...(plan.devices.length > 0 && (keyboard !== null || commands.length > 0 || users.length > 1)
    ? ['Keyboard, commands and further users hold for a whole batch; those of the card were left out.']
    : []),
  'Its host key was not taken over: the board gets a new one with its next card, and is proved by that.',
  ...left,
];
