import { listed } from '../listed';
import { compareNests } from '../plan/nests';
import {
  bootWait,
  deviceStanding,
  mayBeHandedOver,
  waitsForBringUp,
  type DeviceFacts,
  type DeviceStanding,
} from './standing';

/**
 * What a person has to do next, told in one line. What stands still while nobody acts decides: first the reader, since
 * it holds up everything behind it; then boards that could be starting; then answers that could be had; then the rest.
 */

/** What a slot of the reader holds, as far as hands are concerned. */
export type SlotHolds = 'nothing' | 'to write' | 'in work' | 'verified' | 'failed' | 'unfit' | 'left out';

export interface TurnSlot {
  /** As the reader's place is called, `Slot 1`. */
  title: string;
  holds: SlotHolds;
  /** Nest of the device whose card it holds or will hold; empty when it is nobody's. */
  nest: string;
}

export interface TurnDevice {
  nest: string;
  hostName: string;
  facts: DeviceFacts;
}

export interface TurnFacts {
  devices: readonly TurnDevice[];
  /** Null while the reader was not looked at. */
  slots: readonly TurnSlot[] | null;
  /** Whether there is an image that could be written. */
  shelf: 'empty' | 'reading' | 'ready';
  /** What stops writing, in the words of the findings, the first one first. */
  stops: readonly string[];
  /** Why nothing can be written, in the server's words; empty when something can. */
  blockers: readonly string[];
  /** Cards that the question about erasing is about, while it is asked; otherwise 0. */
  arming: number;
  /** Whether a round is held. */
  held: boolean;
  /** Seconds until the cards in work are done; null when that is not known. */
  secondsLeft: number | null;
  /** Whether a search goes on, or is made again and again by itself until they are there. */
  searching: boolean;
  /** What to look at first where boards are late, in the words of the search for causes; empty for nothing. */
  look: string;
}

/** What a press on the line does. */
export type TurnAct =
  | 'add devices'
  | 'add image'
  | 'see finding'
  | 'see cards'
  | 'put in'
  | 'take out'
  | 'arm'
  | 'power'
  | 'search'
  | 'see boot'
  | 'bring up'
  | 'see bring up'
  | 'hand over';

export interface Turn {
  /** What to do, in words; it stays the same until something happens. */
  say: string;
  act: TurnAct | null;
  /** How many the act is about. */
  count: number;
  /** What runs meanwhile, without times. */
  meanwhile: string;
  /** When that is done as far as anybody can tell, milliseconds since 1970. */
  until: number | null;
}

/** More names than this are counted instead. */
const NAMED = 4;

const many = (count: number, one: string, more = `${one}s`): string =>
  `${String(count)} ${count === 1 ? one : more}`;

/** Names where they are few, otherwise how many. */
const few = (names: readonly string[], one: string, more = `${one}s`): string =>
  names.length <= NAMED ? listed(names) : many(names.length, one, more);

interface Known extends TurnDevice {
  standing: DeviceStanding;
}

const nestsOf = (devices: readonly { nest: string }[]): string[] =>
  devices
    .map(({ nest }) => nest)
    .filter((nest) => nest !== '')
    .sort(compareNests);

type Line = Pick<Turn, 'say' | 'act'> & { count?: number };

const inHand: readonly string[] = ['verified', 'queued', 'writing', 'verifying'];

/** Whether a card has still to be made for a device. */
const needsCard = ({ facts: { card, seen, stopped, handedOverAt } }: Known): boolean =>
  !stopped && seen === null && handedOverAt === null && !inHand.includes(card?.state ?? '');

/** What the reader waits for. */
function readerTurn(
  { slots, blockers, stops, arming, held }: TurnFacts,
  devices: readonly Known[],
): Line | null {
  if (arming > 0)
    return {
      say: `Read what will be erased, type erase ${String(arming)}, and confirm`,
      act: null,
      count: arming,
    };
  if (slots === null) return null;
  const of = (holds: SlotHolds): TurnSlot[] => slots.filter((slot) => slot.holds === holds);
  const titles = (some: readonly TurnSlot[]): string =>
    // "Slots 1 and 3" reads better than "Slot 1 and Slot 3".
    some.every(({ title }) => /^Slot \d+$/.test(title))
      ? `${some.length === 1 ? 'Slot' : 'Slots'} ${listed(some.map(({ title }) => title.slice(5)))}`
      : listed(some.map(({ title }) => title));
  const verified = of('verified');
  if (verified.length > 0) {
    const nests = nestsOf(verified);
    const where = nests.length === 0 ? '' : `, ${nests.length === 1 ? 'nest' : 'nests'} ${listed(nests)}`;
    return {
      say: `${titles(verified)} ${verified.length === 1 ? 'is verified: take it' : 'are verified: take them'} out${where}`,
      act: 'take out',
      count: verified.length,
    };
  }
  const failed = of('failed');
  if (failed.length > 0)
    return {
      say: `${titles(failed)} did not become a card: see why, write again or take out`,
      act: 'see cards',
      count: failed.length,
    };
  if (held) return { say: 'A round is held: let it go on', act: 'see cards' };
  if (of('in work').length > 0) return null;
  const waiting = devices.filter(needsCard);
  const ready = of('to write');
  if (ready.length > 0 && stops.length === 0 && blockers.length === 0)
    return {
      say: `${many(ready.length, 'card')} can be written: read what will be erased`,
      act: 'arm',
      count: ready.length,
    };
  if (waiting.length === 0 || stops.length > 0) return null;
  if (blockers[0] !== undefined) return { say: blockers[0], act: 'see cards' };
  const empty = of('nothing');
  if (empty.length > 0) {
    const count = Math.min(empty.length, waiting.length);
    return {
      say: `Put ${count === 1 ? 'a card' : 'cards'} into ${many(count, 'empty slot')}`,
      act: 'put in',
      count,
    };
  }
  if (slots.length === 0) return { say: 'No card reader is here: connect one', act: 'see cards' };
  const unfit = of('unfit');
  return {
    say:
      unfit.length > 0
        ? `${titles(unfit)} cannot be written: put in other cards`
        : 'Every card is left out: choose what they become',
    act: 'see cards',
  };
}

/** What boards that lie ready wait for. */
function powerTurn(devices: readonly Known[], slots: TurnFacts['slots']): Line | null {
  // A card that is still in the reader is taken out first.
  const inside = new Set(slots?.map(({ nest }) => nest));
  const ready = devices.filter(({ standing, nest }) => standing.state === 'card ready' && !inside.has(nest));
  if (ready.length === 0) return null;
  const nests = nestsOf(ready);
  return {
    say:
      ready.length <= NAMED
        ? `Put the ${ready.length === 1 ? 'card' : 'cards'} of ${listed(nests)} into ${ready.length === 1 ? 'its board' : 'their boards'}, power, then press`
        : `Put ${String(ready.length)} cards into their boards, power them, then press`,
    act: 'power',
    count: ready.length,
  };
}

/** Whether a board was powered and has not been seen. */
const isAway = ({ facts: { poweredAt, seen } }: Known): boolean => poweredAt !== null && seen === null;

/** What the search, and those whom it did not find, wait for. */
function findTurn({ searching, look }: TurnFacts, devices: readonly Known[]): Line | null {
  const named = (some: readonly Known[]): string =>
    few(
      some.map(({ hostName, nest }) => hostName || nest),
      'board',
    );
  const copied = devices.filter(({ facts }) => (facts.seen?.alsoAt.length ?? 0) > 0);
  if (copied.length > 0)
    return { say: `${named(copied)} answered at several addresses: a card was copied`, act: 'see boot' };
  const away = devices.filter(isAway);
  if (away.length > 0 && !searching)
    return {
      say: `Search for ${many(away.length, 'board')}, again until ${away.length === 1 ? 'it is' : 'they are'} there`,
      act: 'search',
      count: away.length,
    };
  const late = away.filter(({ standing }) => standing.state === 'late');
  if (late.length > 0)
    return {
      say: `${named(late)} ${late.length === 1 ? 'is' : 'are'} late${look === '' ? ': see what to check' : `. ${look}`}`,
      act: 'see boot',
    };
  const guessed = devices.filter(({ facts }) => facts.seen && facts.seen.standing !== 'proved');
  if (guessed.length > 0)
    return { say: `${named(guessed)} answered without proof: see why`, act: 'see boot' };
  return null;
}

/** What boards that are proved wait for before they can be handed over. */
function bringUpTurn(devices: readonly Known[]): Line | null {
  const wanted = devices.filter(({ facts }) => facts.bringUpWanted === true);
  const stuck = wanted.filter(
    ({ facts: { bringUp, handedOverAt } }) =>
      handedOverAt === null &&
      bringUp !== null &&
      bringUp !== undefined &&
      bringUp.message !== '' &&
      bringUp.state === 'hand',
  );
  const [first] = stuck;
  const fresh = wanted.filter(({ facts }) => waitsForBringUp(facts));
  if (fresh.length > 0)
    return {
      say: `Bring up ${few(
        fresh.map(({ hostName }) => hostName),
        'board',
      )}`,
      act: 'bring up',
      count: fresh.length,
    };
  if (first)
    return {
      say:
        stuck.length === 1
          ? `${first.hostName || first.nest} needs a look: ${first.facts.bringUp?.message ?? ''}`
          : `${few(
              stuck.map(({ hostName, nest }) => hostName || nest),
              'board',
            )} need a look after bringing up`,
      act: 'see bring up',
    };
  return null;
}

/** What runs by itself, and until when. */
function meanwhile(
  { slots, secondsLeft, searching, held, shelf }: TurnFacts,
  devices: readonly Known[],
  now: number,
): Pick<Turn, 'meanwhile' | 'until'> {
  const parts: string[] = [];
  const ends: number[] = [];
  const inWork = slots?.filter(({ holds }) => holds === 'in work').length ?? 0;
  if (inWork > 0 && !held) {
    parts.push(inWork === 1 ? 'a card is being written' : `${String(inWork)} cards are being written`);
    if (secondsLeft !== null) ends.push(now + secondsLeft * 1000);
  }
  if (shelf === 'reading') parts.push('the image is being read');
  const coming = devices.filter(({ standing }) => standing.state === 'coming up').length;
  if (coming > 0)
    parts.push(coming === 1 ? 'a board is brought up' : `${String(coming)} boards are brought up`);
  // One that is made again by itself rests while everybody is there.
  if (searching && devices.some(isAway)) parts.push('a search goes on');
  const starting = devices.flatMap(({ facts }) => {
    const wait = bootWait(facts, now);
    if (!wait || wait.late) return [];
    return [now + ((wait.waited < wait.usual ? wait.usual : wait.normalUntil) - wait.waited) * 1000];
  });
  if (starting.length > 0) {
    parts.push(starting.length === 1 ? 'a board starts' : `${String(starting.length)} boards start`);
    ends.push(Math.min(...starting));
  }
  return { meanwhile: parts.join(', '), until: ends.length > 0 ? Math.min(...ends) : null };
}

/** Whether somebody still has something before them that is not the hand-over. */
const unfinished = ({ standing, facts }: Known): boolean =>
  standing.state !== 'handed over' && !mayBeHandedOver(facts);

/**
 * The next thing that a person has to do.
 * @param now milliseconds since 1970
 */
export function yourTurn(facts: TurnFacts, now: number): Turn {
  const devices: Known[] = facts.devices.map((device) => ({
    ...device,
    standing: deviceStanding(device.facts, now),
  }));
  const runs = meanwhile(facts, devices, now);
  const line = nextLine(facts, devices, runs.meanwhile !== '');
  return { count: 0, ...line, ...runs };
}

function nextLine(facts: TurnFacts, devices: readonly Known[], busy: boolean): Line {
  if (devices.length === 0)
    return { say: 'Say how many boards there are, and their names', act: 'add devices' };
  if (facts.shelf === 'empty')
    return { say: 'Put an image onto the shelf: its path, its address, or drop the file', act: 'add image' };
  const [stop] = facts.stops;
  const found =
    readerTurn(facts, devices) ??
    (stop === undefined
      ? null
      : {
          say: facts.stops.length === 1 ? stop : `${stop} (first of ${String(facts.stops.length)})`,
          act: 'see finding' as const,
        }) ??
    powerTurn(devices, facts.slots) ??
    findTurn(facts, devices) ??
    bringUpTurn(devices);
  if (found) return found;
  const proved = devices.filter(({ facts }) => mayBeHandedOver(facts));
  if (proved.length > 0 && !devices.some(unfinished))
    return {
      say:
        proved.length === devices.length
          ? `All ${String(proved.length)} are ${proved.every(({ standing }) => standing.state === 'ready') ? 'ready' : 'proved'}: hand them over`
          : `Hand over ${few(
              proved.map(({ hostName }) => hostName),
              'board',
            )}`,
      act: 'hand over',
      count: proved.length,
    };
  if (busy) return { say: 'Nothing to do', act: null };
  if (devices.every(({ standing }) => standing.state === 'handed over'))
    return { say: 'This batch is handed over', act: null };
  return facts.slots === null
    ? { say: 'Looking at the reader', act: null }
    : { say: 'Nothing to do', act: null };
}
