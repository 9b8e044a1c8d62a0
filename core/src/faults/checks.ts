import type { CauseId, CheckId } from './model';

/** A check as people read it. `{nest}`, `{name}`, `{mark}`, `{network}` and `{bits}` stand for the case's own. */
export interface Check {
  /** Answered by yes or no. */
  question: string;
  /** How to find out. */
  how: string;
  /** Minutes, with the way to the board and back; common practice. */
  minutes: number;
  /** What it is about, so that it lapses with it: a board's power, its card, or the network. */
  about: 'power' | 'card' | 'network';
  /** Whether it makes sense only where boards join by radio. */
  radio: boolean;
  yes: (cause: CauseId) => number;
}

type Table = Partial<Record<CauseId, number>>;

/** How often the answer is yes: by cause, and otherwise. What is sure is a hundred to one; people err. */
const yes =
  (otherwise: number, table: Table) =>
  (cause: CauseId): number =>
    table[cause] ?? (cause === 'unknown' ? (otherwise + 0.5) / 2 : otherwise);

const YES = 0.99;
const NO = 0.01;

const check = (
  about: Check['about'],
  minutes: number,
  question: string,
  how: string,
  answers: Check['yes'],
  radio = false,
): Check => ({ question, how, minutes, about, radio, yes: answers });

/** What never starts its system. */
const dark: Table = { 'not-powered': NO, 'not-seated': NO, 'board-broken': 0.1, 'other-width': 0.1 };

export const checks: Readonly<Record<CheckId, Check>> = {
  'same-network': check(
    'network',
    0.5,
    'Is this computer on the network that the boards join ({network})?',
    'Look at this computer’s own list of networks, or follow its cable.',
    yes(YES, { elsewhere: NO }),
  ),
  'power-light': check(
    'power',
    0.5,
    'Is the power light of {nest} on, and steady?',
    'Every board has one. One that dims or blinks on and off is a no.',
    yes(YES, { 'not-powered': NO, 'weak-supply': 0.1, 'board-broken': 0.8 }),
  ),
  'activity-light': check(
    'power',
    0.7,
    'Did the activity light of {nest} flicker after power-on?',
    'It shows that the card is read. If you did not see it, cut the power, wait, and power it again.',
    yes(0.97, { ...dark, 'weak-supply': 0.7 }),
  ),
  'still-flickers': check(
    'power',
    0.7,
    'Does the activity light of {nest} still flicker now?',
    'Watch it for half a minute. Schools differ in what a steady light means.',
    yes(0.06, { 'still-booting': YES, 'weak-supply': 0.3 }),
  ),
  'card-sits': check(
    'power',
    1.5,
    'Does the card of {nest} sit firmly, with nothing left to push in?',
    'Cut the power first. Push gently, never by force; look at which way up it is.',
    yes(YES, { 'not-seated': NO }),
  ),
  'other-supply': check(
    'power',
    3,
    'Does {nest} come up with the supply and cable of a board that runs?',
    'Cut both, change the supplies over, power them. Keep to local rules for mains adapters.',
    yes(NO, { 'weak-supply': YES, 'not-powered': YES }),
  ),
  'name-heard': check(
    'network',
    1,
    'Does a phone beside {nest} list a network called {network}, letter for letter?',
    'Capitals, spaces and hyphens count. Do not join, only look.',
    yes(YES, { 'network-off': NO, hidden: 0.03, 'other-name': NO }),
    true,
  ),
  'name-spelt': check(
    'network',
    1.5,
    'Is the network’s name in the plan, {network}, the very one that the access point has?',
    'Read it on the access point’s own page or its sticker.',
    yes(YES, { 'other-name': NO }),
    true,
  ),
  'key-tried': check(
    'network',
    2,
    'Does a phone join {network} with the key as the plan has it?',
    'Reveal the key on the shelf of networks and type it, as it stands there; let the phone forget the network before.',
    yes(0.97, { 'other-key': NO, 'network-off': NO, 'other-name': 0.1, hidden: 0.6, 'no-address': 0.3 }),
    true,
  ),
  'band-sent': check(
    'network',
    1.5,
    'Does the access point send {network} on a band that the board hears ({bands})?',
    'Read it on the access point’s page. One name for two bands, or a name for each?',
    yes(YES, { 'other-band': NO }),
    true,
  ),
  'country-same': check(
    'network',
    1,
    'Is the country in the plan ({country}) the one that the access point is set to?',
    'It is the country where the board will run. The access point’s page shows it under Wi-Fi.',
    yes(YES, { 'other-country': NO }),
    true,
  ),
  'name-hidden': check(
    'network',
    1,
    'Is the access point set to hide the name of {network}?',
    'On its page, under Wi-Fi: name shown or not shown.',
    yes(NO, { hidden: YES }),
    true,
  ),
  'addresses-free': check(
    'network',
    1.5,
    'Has the router addresses left to give out?',
    'Compare the length of its list of addresses with how many it has given out.',
    yes(YES, { 'no-address': NO }),
  ),
  'router-lists': check(
    'network',
    1.5,
    'Does the router list {name}, or its hardware address, with an address?',
    'On the router’s page of connected devices. Paste the list above: then it is compared for you.',
    yes(0.02, {
      'kept-apart': 0.95,
      elsewhere: 0.95,
      'login-off': 0.95,
      'other-card': 0.6,
      'copied-card': 0.1,
      'still-booting': 0.1,
      'card-spoilt': 0.1,
    }),
  ),
  'kept-apart': check(
    'network',
    1.5,
    'Does the access point let its clients reach each other?',
    'On its page: no isolation, no guest network. Or ask a phone on the same Wi-Fi for its address and try to reach it.',
    yes(YES, { 'kept-apart': NO }),
    true,
  ),
  'label-read': check(
    'card',
    1.5,
    'Does the label on the card in {nest} say {mark}?',
    'Cut the power, take the card out and read it. Put it back.',
    yes(YES, { 'other-card': 0.03, 'copied-card': 0.9 }),
  ),
  'card-check': check(
    'card',
    4,
    'Does card check find the card of {nest} as the plan has it?',
    'Cut the power, put the card into a slot, open Card check. It reads only.',
    yes(0.97, { 'card-spoilt': NO, 'other-card': NO, 'copied-card': NO, 'login-off': 0.3 }),
  ),
  'width-fits': check(
    'card',
    1,
    'Can the board in {nest} run a system of {bits}?',
    'Read what its maker says of its processor; the oldest boards are 32 bit only.',
    yes(YES, { 'other-width': NO }),
  ),
  'other-board': check(
    'card',
    5,
    'Does the card of {nest} come up in another board of the same kind?',
    'Cut both, change the cards over, power the other one.',
    yes(NO, { 'board-broken': YES, 'weak-supply': 0.9, 'not-powered': 0.95, 'not-seated': 0.8 }),
  ),
};
