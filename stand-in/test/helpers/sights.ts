import type { CheckId } from '@nest-mark/core/api';

/** What of a sight is a yes, as a person reads it who knows what was planned. */
export const saysYes: Readonly<Record<CheckId, RegExp>> = {
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
  'router-lists': /tank-0/,
  'kept-apart': /may reach/,
  'label-read': /label says/,
  'card-check': /Nothing wrong/,
  'width-fits': /64 bit/,
  'other-board': /starts/,
};
