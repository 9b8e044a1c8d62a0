import type { CheckId } from '@nest-mark/core/api';

const yes: Readonly<Record<Exclude<CheckId, 'router-lists'>, RegExp>> = {
  'same-network': /router that the access point is plugged into/,
  'power-light': /on, and steady/,
  'activity-light': /^It flicker/,
  'still-flickers': /without a pause/,
  'card-sits': /firmly/,
  'other-supply': /it starts/,
  'name-heard': /“Saltmarsh Bench”/,
  'name-spelt': /“Saltmarsh Bench”/,
  'key-tried': /joins\.$/,
  'band-sent': /2\.4 GHz/,
  'country-same': /DK/,
  'name-hidden': /not shown/,
  'addresses-free': /: (?!(\d+) of \1 )/,
  'kept-apart': /may reach/,
  'label-read': /label says/,
  'card-check': /Nothing wrong/,
  'width-fits': /64 bit/,
  'other-board': /starts/,
};

/** Whether a sight is a yes, as a person reads it who knows what was planned for the board. */
export const saysYes = (check: CheckId, saw: string, hostName: string): boolean =>
  check === 'router-lists' ? saw.includes(hostName) : yes[check].test(saw);
