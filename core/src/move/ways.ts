import type { BoardProfile } from '../boards/profiles';
import { knowsSecurity, sharesBand } from '../plan/join';
import { networkTitle, type ShelvedNetwork } from '../wifi/network';
import type { MovePlan, Way, WayId } from './model';

/** What decides about the ways of one device. */
export interface MovingBoard {
  deviceId: string;
  /** Null where its profile is no longer on the shelf. */
  profile: BoardProfile | null;
  /** Whether its host key signed at the address where it is now. */
  proved: boolean;
  /** Why the bench cannot log in to it; empty where it can. */
  loginLacks: string;
  /** Whether somebody at a keyboard can log in: an account with a password. */
  password: boolean;
  /** Whether what is written onto its card configures it at the next start. */
  written: boolean;
  /** Whether settings that are written onto its card anew are taken in at its next start. */
  again: boolean;
}

/** A move with the networks that it is about, and the day on which it is looked at. */
export interface Moving {
  plan: MovePlan;
  from: ShelvedNetwork | null;
  to: ShelvedNetwork | null;
  bridge: ShelvedNetwork | null;
  /** ISO 8601. */
  today: string;
}

/** A condition of a way: whether it holds, and what closes the way where it does not. */
type Condition = readonly [holds: boolean, otherwise: string];

/** Why a radio cannot take part in a network; empty where it can. */
export function deaf(profile: BoardProfile, network: ShelvedNetwork): string {
  const title = networkTitle(network);
  if (profile.wifiBands.length === 0) return 'it has no radio';
  if (!sharesBand(profile, network)) return `its radio does not have the bands of “${title}”`;
  return knowsSecurity(profile, network.security) ? '' : `its radio does not know the security of “${title}”`;
}

interface Draft {
  id: WayId;
  conditions: readonly Condition[];
  why: string;
  from?: string;
  until?: string;
  minutes: number;
  risk: string;
  needs: readonly string[];
}

function judged(
  { id, conditions, why, from = '', until = '', minutes, risk, needs }: Draft,
  today: string,
): Way {
  const closed = conditions.flatMap(([holds, otherwise]) => (holds ? [] : [otherwise]));
  if (until !== '' && today > until) closed.push(`its last day was ${until}`);
  const open = closed.length === 0;
  const reason = open ? why : closed.join('; ');
  return {
    id,
    open,
    why: `${reason.charAt(0).toUpperCase()}${reason.slice(1)}.`,
    from,
    until,
    minutes,
    risk,
    needs: [...needs],
  };
}

const overGap: readonly WayId[] = ['bridge', 'over-old', 'cable', 'screen', 'sister', 'settings', 'card'];
const rank = (id: WayId): number => overGap.indexOf(id);

const noProfile: Condition = [false, 'its board profile is no longer on the shelf'];

/**
 * The ways of one device onto the new network, best first (common practice; the order of the trade). A way that opens
 * later, on `from`, counts as open.
 */
export function waysOf({ plan, from, to, bridge, today }: Moving, board: MovingBoard): Way[] {
  const { hands, oldEnds, newBegins, bench } = plan;
  const { profile } = board;
  const heard: Condition[] = !profile
    ? [noProfile]
    : to === null
      ? [[false, 'no new network is chosen']]
      : [[deaf(profile, to) === '', deaf(profile, to)]];
  const gap = oldEnds !== '' && newBegins !== '' && newBegins > oldEnds;
  const overOld: Condition[] = [
    [from !== null, 'no old network is chosen'],
    [bench !== 'new', 'this computer does not reach the old network any more'],
    [board.proved, 'its host key has not signed where it is now: search for it first'],
    [board.loginLacks === '', board.loginLacks],
  ];
  const wired = profile !== null && (profile.ethernet || (hands.wiredAdapter && profile.usb !== 'none'));
  const noWire: Condition = [
    profile === null || wired,
    profile?.usb === 'none'
      ? 'it has no socket for a cable or an adapter'
      : 'it has no socket for a cable, and no wired adapter is at hand',
  ];
  const plugs = profile && !profile.ethernet ? ['a wired adapter'] : [];
  const small = profile !== null && (profile.video !== 'full' || profile.usb !== 'full');
  const hearsBridge: Condition[] =
    bridge === null
      ? [[false, 'no bridge network is chosen']]
      : profile
        ? [[deaf(profile, bridge) === '', deaf(profile, bridge)]]
        : [];
  const drafts: Draft[] = [
    {
      id: 'over-old',
      conditions: [...heard, ...overOld],
      why:
        bench === 'both'
          ? 'it is proved and lets the bench in: the new network is put beside the old one and tried, with a way back'
          : 'it is proved and lets the bench in: the new network is put beside the old one, and it comes over when that is on the air; its key is not tried before',
      until: oldEnds,
      minutes: 0.5,
      risk: bench === 'both' ? 'low: it comes back by itself' : 'some: a wrong key shows on the day',
      needs: [],
    },
    {
      id: 'cable',
      conditions: [
        ...(profile ? [] : [noProfile]),
        noWire,
        [hands.cable, 'no cable of the new network is at hand'],
        [!plan.outOfReach.includes(board.deviceId), 'no socket of the new network is within its reach'],
      ],
      why: 'it is reached by wire on the new network, whatever its Wi-Fi says',
      from: newBegins,
      minutes: 4,
      risk: 'low',
      needs: ['a cable to the new network', ...plugs],
    },
    {
      id: 'bridge',
      conditions: [...heard, ...overOld, ...hearsBridge],
      why: gap
        ? 'the bridge carries it over the days without a network'
        : 'it is put onto the bridge first, and reached there when the old network is gone',
      until: oldEnds,
      minutes: 1.5,
      risk: 'some: a hotspot sleeps, and takes few clients',
      needs: bridge ? [`“${networkTitle(bridge)}” on and awake`] : [],
    },
    {
      id: 'screen',
      conditions: [
        ...heard,
        [hands.screen, 'no screen and keyboard are at hand'],
        [profile?.video !== 'none', 'it has no video socket'],
        [profile?.usb !== 'none', 'it has no socket for a keyboard'],
        [!small || hands.adapters, 'its small sockets need adapters, and none are at hand'],
        [board.password, 'nobody can log in at a keyboard: its accounts have no password'],
      ],
      why: 'the network is typed in at the board',
      minutes: 10,
      risk: 'some: typed by hand',
      needs: ['a screen and a keyboard', ...(small ? ['adapters for its sockets'] : [])],
    },
    {
      id: 'sister',
      conditions: [
        ...heard,
        [profile?.storage === 'card', 'its system is not on a card'],
        [
          profile !== null && hands.spares.includes(profile.id),
          'no spare board of the same kind is at hand; another kind may not start from its card',
        ],
        noWire,
        [hands.cable, 'no cable is at hand for the sister board'],
        [board.loginLacks === '', board.loginLacks],
      ],
      why: 'a spare board of the same kind starts from its card, by cable, and gets the network put on it',
      minutes: 8,
      risk: 'some: the card comes out; shut the board down first',
      needs: ['a spare board of the same kind', 'a cable', ...plugs],
    },
    {
      id: 'settings',
      conditions: [
        ...heard,
        [profile?.storage !== 'usb', 'its system is not on a card'],
        [board.again, 'its image takes settings in at the first start only, as far as is known here'],
      ],
      why: 'its settings are written onto its card anew, and nothing else of it: what the board has stored stays',
      minutes: 4,
      risk: 'some: the card comes out; shut the board down first',
      needs: ['its card in a slot', ...(profile?.storage === 'emmc' ? ['the carrier’s data port'] : [])],
    },
    {
      id: 'card',
      conditions: [
        ...heard,
        [profile !== null, 'its board profile is no longer on the shelf'],
        [profile?.storage !== 'usb', 'its system is not on a card'],
        [board.written, 'its image is set up by hand, so that writing it anew sets no network'],
      ],
      why: 'its card is written again with the new network in the plan; what the board has stored on it is lost',
      minutes: 6,
      risk: 'high: its data is lost unless it is saved first',
      needs: ['its card in a slot', ...(profile?.storage === 'emmc' ? ['the carrier’s data port'] : [])],
    },
  ];
  // Over days without any network a key that was not tried loses the board; on the bridge it can still be mended.
  const ordered = gap && bridge !== null ? drafts.sort((a, b) => rank(a.id) - rank(b.id)) : drafts;
  return ordered.map((draft) => judged(draft, today));
}

/** The first open way; null where none is. */
export const bestOf = (ways: readonly Way[]): Way | null => ways.find(({ open }) => open) ?? null;
