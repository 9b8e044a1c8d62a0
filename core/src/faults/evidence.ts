import { listed } from '../listed';
import { causes } from './causes';
import type { CauseId, Known } from './model';

/** What was heard of a board that did not prove itself. */
export type Symptom =
  /** Nobody listened or searched since it was powered. */
  | 'not looked'
  /** A search went over its network, and nobody listened. */
  | 'not found'
  /** It was listened for requests for addresses too, and nothing came. */
  | 'nothing heard'
  /** It asks for an address and gets none. */
  | 'asks'
  /** It has an address, and its login service does not answer. */
  | 'no login'
  /** Somebody with its name answers with another key. */
  | 'other key';

/** A device as the search for a cause knows it. Times are seconds. */
export interface BoardFacts {
  deviceId: string;
  hostName: string;
  nest: string;
  mark: string;
  /** Whether it signed with its key since it was powered. */
  proved: boolean;
  /** Whether its key signed at several addresses. */
  copied: boolean;
  /** Since power-on; null where nobody noted that. */
  waited: number | null;
  /** Of a usual first boot. */
  usual: number;
  symptom: Symptom;
  /** The network that it should join by radio; null for a board on a cable. */
  network: {
    id: string;
    name: string;
    bands: readonly string[];
    country: string;
    /** Whether it hides its name, and keeps its clients apart, by what the shelf says. */
    hidden: boolean;
    apart: boolean;
  } | null;
  image: { id: string; title: string; bits: number | null };
  board: { id: string; title: string; bits: number; bands: readonly string[] };
  country: string;
  /** The round in which its card was written; null for one that was written elsewhere. */
  round: string | null;
  /** The slot of the reader in which that was. */
  slot: string | null;
}

/** What is known of the place. */
export interface BenchFacts {
  /** Whether this computer is on a network of the boards; see `meetingOf`. */
  meet: 'yes' | 'no' | 'open';
}

type Table = Partial<Record<CauseId, number>>;

const fits =
  (otherwise: number, table: Table): Known['fits'] =>
  (cause) =>
    table[cause] ?? otherwise;

/** How often each thing is heard, by the cause (common practice). */
const heard: Readonly<Record<Exclude<Symptom, 'not looked'>, Known>> = {
  'nothing heard': {
    text: 'Nothing was heard of it, not even that it asks for an address.',
    fits: fits(1, {
      'no-address': 0.03,
      'login-off': 0.04,
      'other-card': 0.25,
      'copied-card': 0.8,
      unknown: 0.6,
    }),
  },
  'not found': {
    text: 'The search did not find it. Nobody listened, so it may be there without an address.',
    fits: fits(1, { 'login-off': 0.8, 'other-card': 0.3, 'copied-card': 0.8 }),
  },
  asks: {
    text: 'It asks for an address again and again and gets none: it has joined the network.',
    fits: fits(0.004, { 'no-address': 1, unknown: 0.05 }),
  },
  'no login': {
    text: 'It is on the network with an address, and its login service does not answer.',
    fits: fits(0.004, {
      'login-off': 1,
      'card-spoilt': 0.3,
      'still-booting': 0.2,
      'kept-apart': 0.1,
      unknown: 0.2,
    }),
  },
  'other key': {
    text: 'Somebody with its name answers, and signs with a key that is not its own.',
    fits: fits(0.004, { 'other-card': 1, 'card-spoilt': 0.1, 'copied-card': 0.05, unknown: 0.05 }),
  },
};

/** Of boards that start, so many fail by themselves; so often a fault of one board meets a second by chance. */
const BY_CHANCE = 0.12;

const isShared = (cause: CauseId): boolean => causes[cause].reach !== 'board';

/** How far the wait has come, in the words and weights of a first boot. */
function waiting({ waited, usual }: BoardFacts): Known {
  if (waited === null)
    return {
      text: 'Nobody noted that it was powered.',
      fits: fits(1, { 'not-powered': 5, 'still-booting': 0.5 }),
    };
  const times = waited / usual;
  if (times < 1)
    return {
      text: 'It is within the time of a usual first boot.',
      fits: fits(1, { 'still-booting': 20 }),
    };
  if (times < 2)
    return {
      text: 'A usual first boot is over; waiting is still normal.',
      fits: fits(1, { 'still-booting': 3 }),
    };
  return {
    text: 'Longer than is normal for a first boot.',
    fits: fits(1, { 'still-booting': times < 4 ? 0.6 : 0.15 }),
  };
}

const named = (boards: readonly BoardFacts[]): string =>
  boards.length > 3 ? `${String(boards.length)} boards` : listed(boards.map(({ hostName }) => hostName));

/** What others tell that are there. */
function mates(board: BoardFacts, proved: readonly BoardFacts[]): Known[] {
  const known: Known[] = [];
  const there = proved.filter(({ network }) => network?.id === board.network?.id);
  if (there.length > 0) {
    const alike = there.some((mate) => mate.board.id === board.board.id);
    known.push({
      text: `${named(there)} ${there.length === 1 ? 'is' : 'are'} proved on the same network, so the network and this computer are all right.`,
      fits: (cause) => {
        const { reach } = causes[cause];
        if (cause === 'no-address') return 0.6;
        if (cause === 'other-band') return alike ? 0.01 : 0.6;
        return reach === 'network' || reach === 'bench' ? 0.01 : 1;
      },
    });
  }
  const same = proved.filter((mate) => mate.image.id === board.image.id && mate.board.id === board.board.id);
  if (same.length > 0)
    known.push({
      text: `${named(same)} of the same kind ${same.length === 1 ? 'started' : 'started'} from the same image.`,
      fits: fits(1, { 'other-width': 0.15 }),
    });
  const copies = proved.filter(({ copied }) => copied);
  if (copies.length > 0)
    known.push({
      text: `${named(copies)} signed at two addresses: two boards carry one card’s copy.`,
      fits: fits(1, { 'copied-card': 60 }),
    });
  return known;
}

/** What plan and shelf tell. */
function planned(board: BoardFacts, { meet }: BenchFacts): Known[] {
  const known: Known[] = [];
  const { network, image } = board;
  if (meet !== 'open')
    known.push(
      meet === 'yes'
        ? {
            text: 'By its addresses this computer is on the boards’ network.',
            fits: fits(1, { elsewhere: 0.15 }),
          }
        : { text: 'By its addresses this computer is on another network.', fits: fits(1, { elsewhere: 30 }) },
    );
  if (network === null)
    known.push({
      text: 'It joins by cable.',
      fits: (cause) => (causes[cause].radio ? 0 : 1),
    });
  else if (network.bands.length > 0) {
    const shared = network.bands.filter((band) => board.board.bands.includes(band));
    known.push(
      shared.length > 0
        ? {
            text: `The shelf says that its network is sent on ${listed([...shared])}, which the board hears.`,
            fits: fits(1, { 'other-band': 0.7 }),
          }
        : {
            text: `The shelf says that its network is sent on ${listed([...network.bands])} only, which the board does not hear.`,
            fits: fits(1, { 'other-band': 40 }),
          },
    );
  }
  if (network?.apart)
    known.push({
      text: 'The shelf says that its network keeps its clients apart.',
      fits: fits(1, { 'kept-apart': 30 }),
    });
  if (network?.hidden)
    known.push({
      text: 'The plan says that the network hides its name, and the card does too.',
      fits: fits(1, { hidden: 0.1 }),
    });
  if (network !== null && network.country !== '' && network.country !== board.country)
    known.push({
      text: `The plan says ${board.country || 'no country'}, the shelf ${network.country}.`,
      fits: fits(1, { 'other-country': 10 }),
    });
  if (image.bits !== null && image.bits > board.board.bits)
    known.push({
      text: `The image is of ${String(image.bits)} bit, its profile of ${String(board.board.bits)}.`,
      fits: fits(1, { 'other-width': 40 }),
    });
  return known;
}

/**
 * What is known of boards that are away for one reason, without asking anybody.
 * @param away those that are missing together; at least one
 * @param proved those that are there
 */
export function knownOf(
  away: readonly BoardFacts[],
  proved: readonly BoardFacts[],
  bench: BenchFacts,
): Known[] {
  const [first] = away;
  if (!first) return [];
  const known: Known[] = [];
  if (first.symptom !== 'not looked') known.push(heard[first.symptom]);
  known.push(waiting(first), ...planned(first, bench), ...mates(first, proved));
  if (away.length > 1)
    known.push({
      text: `${String(away.length)} are missing together, so look first for what they have in common.`,
      fits: (cause) => (isShared(cause) ? 1 : BY_CHANCE ** Math.min(away.length - 1, 3)),
    });
  return known;
}
