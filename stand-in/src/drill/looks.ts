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

/** What is seen, and what somebody who reads it well answers. */
export interface Seen {
  saw: string;
  answer: 'yes' | 'no';
}

const yes = (saw: string): Seen => ({ saw, answer: 'yes' });
const no = (saw: string): Seen => ({ saw, answer: 'no' });

const quoted = (names: readonly string[]): string => names.map((name) => `“${name}”`).join(', ');

/** Networks of the neighbourhood, all invented. */
const others = ['Ferry Landing', 'Mussel Bar Guests'];

const light = {
  comesAndGoes: 'It comes on, dims, goes out, and comes on again, every few seconds.',
  dark: 'It is dark.',
};

type Look = (scene: Scene, cause: string) => Seen;

const looks: Record<CheckId, Look> = {
  'same-network': ({ air }) =>
    air.elsewhere
      ? no('This computer’s cable leads to the office router, and not to the access point of the bench.')
      : yes('This computer’s cable leads to the router that the access point is plugged into.'),
  'power-light': ({ board }, cause) => {
    if (!board.powered || cause === 'not-powered') return no(light.dark);
    return cause === 'weak-supply' ? no(light.comesAndGoes) : yes('It is on, and steady.');
  },
  'activity-light': ({ board }, cause) => {
    if (!board.powered || cause === 'not-powered') return no(light.dark);
    if (cause === 'weak-supply') return yes('It flickers for a moment, each time the power light comes on.');
    return ['not-seated', 'other-width', 'board-broken'].includes(cause)
      ? no('It stayed dark after power-on.')
      : yes('It flickered after power-on.');
  },
  'still-flickers': (_scene, cause) =>
    cause === 'still-booting'
      ? yes('It flickers without a pause.')
      : no('It is quiet: dark, or one blink now and then.'),
  'card-sits': (_scene, cause) =>
    cause === 'not-seated'
      ? no('It gives way: there is a millimetre left to push.')
      : yes('It sits firmly; nothing moves.'),
  'other-supply': (_scene, cause) =>
    ['not-powered', 'weak-supply'].includes(cause)
      ? yes('With the other supply its light is steady, and it starts.')
      : no('It is as before.'),
  'name-heard': ({ air, drill }) => {
    const heard = [...others, ...(air.on && !air.hidden ? [air.ssid] : [])].sort();
    const saw = `The phone lists ${quoted(heard)}.`;
    return heard.includes(drill.air.ssid) ? yes(saw) : no(saw);
  },
  'name-spelt': ({ air, drill }) => {
    const saw = `The access point’s page says: network name “${air.ssid}”.`;
    return air.ssid === drill.air.ssid ? yes(saw) : no(saw);
  },
  'key-tried': ({ air, drill, leased, board }) => {
    if (!air.on || air.ssid !== drill.air.ssid) return no('The phone does not find a network of that name.');
    if (air.passphrase !== drill.air.passphrase) return no('The phone says that the password is wrong.');
    return leased.length >= air.poolSize && !leased.includes(board.hostName)
      ? no('The phone joins, and then says that it got no address.')
      : yes('The phone joins.');
  },
  'band-sent': ({ air }) => {
    const saw = `The access point’s page says: this name on ${air.bands.join(' and ')}.`;
    return air.bands.includes('2.4 GHz') ? yes(saw) : no(saw);
  },
  'country-same': ({ air, drill }) => {
    const saw = `The access point’s page says: country ${air.country}.`;
    return air.country === drill.air.country ? yes(saw) : no(saw);
  },
  'name-hidden': ({ air }) =>
    air.hidden
      ? yes('The access point’s page says: network name not shown.')
      : no('The access point’s page says: network name shown.'),
  'addresses-free': ({ air, leased }) => {
    const saw = `The router’s page says: ${String(leased.length)} of ${String(air.poolSize)} addresses given out.`;
    return leased.length < air.poolSize ? yes(saw) : no(saw);
  },
  'router-lists': ({ leased, board }) => {
    const saw =
      leased.length === 0
        ? 'The router lists nobody but itself.'
        : `The router lists ${[...leased].sort().join(', ')}.`;
    return leased.includes(board.hostName) ? yes(saw) : no(saw);
  },
  'kept-apart': ({ air }) =>
    air.apart
      ? no('The access point’s page says: clients may not reach each other.')
      : yes('The access point’s page says: clients may reach each other.'),
  'label-read': ({ board }, cause) =>
    cause === 'other-card'
      ? no(`A strip of tape says ${board.hostName}, in pencil. There is no mark.`)
      : yes(`The label says ${board.mark}.`),
  'card-check': ({ board, copyOf, drill }, cause) => {
    if (cause === 'card-spoilt' && drill.card)
      return no(
        `It finds ${drill.card.renamed[1]}, and no ${drill.card.renamed[0]}: the board would read nothing of it.`,
      );
    if (cause === 'other-card')
      return no(`The card says ${board.hostName}, and has a host key that is not planned.`);
    if (cause === 'copied-card') return no(`The card has the settings and the host key of ${copyOf}.`);
    if (cause === 'login-off') return no('The login service is not switched on.');
    return yes('Nothing wrong was found.');
  },
  'width-fits': (_scene, cause) =>
    cause === 'other-width'
      ? no('Its description says: a processor of 32 bit.')
      : yes('Its description says: a processor of 64 bit.'),
  'other-board': (_scene, cause) =>
    ['board-broken', 'weak-supply', 'not-powered', 'not-seated'].includes(cause)
      ? yes('In the other board it starts, and is there after a minute.')
      : no('In the other board it does not appear either.'),
};

/** Looks at something: what eyes see of it, whatever it means. Only the board with the fault looks otherwise than sound. */
export function lookAt(check: CheckId, scene: Scene): Seen {
  const { hidden } = scene.drill;
  return looks[check](scene, hidden.nest === scene.board.nest ? hidden.cause : 'none');
}
