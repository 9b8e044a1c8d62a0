import type { Air, CheckId } from '@nest-mark/core/api';
import type { DrillState } from './state';

/** What the bench is like while somebody looks. */
export interface Scene {
  drill: DrillState;
  air: Air;
  /** Names of the boards that the router gave an address. */
  leased: readonly string[];
  /** The board that is looked at. */
  board: { nest: string; powered: boolean; hostName: string; mark: string };
  /** Name of the board whose card was copied, where one was. */
  copyOf: string;
}

const quoted = (names: readonly string[]): string => names.map((name) => `“${name}”`).join(', ');

/** Networks of the neighbourhood, all invented. */
const others = ['Ferry Landing', 'Mussel Bar Guests'];

const light = {
  comesAndGoes: 'It comes on, dims, goes out, and comes on again, every few seconds.',
  dark: 'It is dark.',
};

type Look = (scene: Scene, cause: string) => string;

const looks: Record<CheckId, Look> = {
  'same-network': ({ air }) =>
    air.elsewhere
      ? 'This computer’s cable leads to the office router, and not to the access point of the bench.'
      : 'This computer’s cable leads to the router that the access point is plugged into.',
  'power-light': ({ board }, cause) => {
    if (!board.powered || cause === 'not-powered') return light.dark;
    return cause === 'weak-supply' ? light.comesAndGoes : 'It is on, and steady.';
  },
  'activity-light': ({ board }, cause) => {
    if (!board.powered || cause === 'not-powered') return light.dark;
    if (cause === 'weak-supply') return 'It flickers for a moment, each time the power light comes on.';
    return ['not-seated', 'other-width', 'board-broken'].includes(cause)
      ? 'It stayed dark after power-on.'
      : 'It flickered after power-on.';
  },
  'still-flickers': (_scene, cause) =>
    cause === 'still-booting'
      ? 'It flickers without a pause.'
      : 'It is quiet: dark, or one blink now and then.',
  'card-sits': (_scene, cause) =>
    cause === 'not-seated'
      ? 'It gives way: there is a millimetre left to push.'
      : 'It sits firmly; nothing moves.',
  'other-supply': (_scene, cause) =>
    ['not-powered', 'weak-supply'].includes(cause)
      ? 'With the other supply its light is steady, and it starts.'
      : 'It is as before.',
  'name-heard': ({ air }) => {
    const heard = [...others, ...(air.on && !air.hidden ? [air.ssid] : [])].sort();
    return `The phone lists ${quoted(heard)}.`;
  },
  'name-spelt': ({ air }) => `The access point’s page says: network name “${air.ssid}”.`,
  'key-tried': ({ air, drill, leased, board }) => {
    if (!air.on || air.ssid !== drill.air.ssid) return 'The phone does not find a network of that name.';
    if (air.passphrase !== drill.air.passphrase) return 'The phone says that the password is wrong.';
    return leased.length >= air.poolSize && !leased.includes(board.hostName)
      ? 'The phone joins, and then says that it got no address.'
      : 'The phone joins.';
  },
  'band-sent': ({ air }) => `The access point’s page says: this name on ${air.bands.join(' and ')}.`,
  'country-same': ({ air }) => `The access point’s page says: country ${air.country}.`,
  'name-hidden': ({ air }) =>
    air.hidden
      ? 'The access point’s page says: network name not shown.'
      : 'The access point’s page says: network name shown.',
  'addresses-free': ({ air, leased }) =>
    `The router’s page says: ${String(leased.length)} of ${String(air.poolSize)} addresses given out.`,
  'router-lists': ({ leased }) =>
    leased.length === 0
      ? 'The router lists nobody but itself.'
      : `The router lists ${[...leased].sort().join(', ')}.`,
  'kept-apart': ({ air }) =>
    air.apart
      ? 'The access point’s page says: clients may not reach each other.'
      : 'The access point’s page says: clients may reach each other.',
  'label-read': ({ board }, cause) =>
    cause === 'other-card'
      ? `A strip of tape says ${board.hostName}, in pencil. There is no mark.`
      : `The label says ${board.mark}.`,
  'card-check': ({ board, copyOf, drill }, cause) => {
    if (cause === 'card-spoilt' && drill.card)
      return `It finds ${drill.card.renamed[1]}, and no ${drill.card.renamed[0]}: the board would read nothing of it.`;
    if (cause === 'other-card')
      return `The card says ${board.hostName}, and has a host key that is not planned.`;
    if (cause === 'copied-card') return `The card has the settings and the host key of ${copyOf}.`;
    if (cause === 'login-off') return 'The login service is not switched on.';
    return 'Nothing wrong was found.';
  },
  'width-fits': (_scene, cause) =>
    cause === 'other-width'
      ? 'Its description says: a processor of 32 bit.'
      : 'Its description says: a processor of 64 bit.',
  'other-board': (_scene, cause) =>
    ['board-broken', 'weak-supply', 'not-powered', 'not-seated'].includes(cause)
      ? 'In the other board it starts, and is there after a minute.'
      : 'In the other board it does not appear either.',
};

/** Looks at something: what eyes see of it, whatever it means. Only the board with the fault looks otherwise than sound. */
export function lookAt(check: CheckId, scene: Scene): string {
  const { hidden } = scene.drill;
  return looks[check](scene, hidden.nest === scene.board.nest ? hidden.cause : 'none');
}
