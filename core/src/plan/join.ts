import { findBoard, type BoardProfile } from '../boards/profiles';
import { grouped } from '../listed';
import type { Join, NetworkFacts, Plan } from './model';
import { WifiBandSchema, type WifiBand, type WifiSecurity } from '../wifi/network';

/** Why a board cannot join a network of its plan. */
export type JoinObstacle = 'not-heard' | 'band' | 'security' | 'gone';

export const joinObstacleTexts: Record<JoinObstacle, string> = {
  'not-heard': 'it is not on the air at the bench',
  band: 'the board’s radio does not have its band',
  security: 'the board’s radio does not know its security',
  gone: 'it was taken off the shelf',
};

export interface Candidate {
  join: Join;
  network: NetworkFacts | null;
  obstacle: JoinObstacle | null;
}

/** Whether a radio can take part in a kind of security; mixed networks take WPA2 radios as well. */
export const knowsSecurity = (board: BoardProfile, security: WifiSecurity): boolean =>
  board.wifiSecurity.includes(security) ||
  (security === 'wpa2-wpa3' && board.wifiSecurity.includes('wpa2-psk'));

export const sharesBand = (board: BoardProfile, network: Pick<NetworkFacts, 'bands'>): boolean =>
  network.bands.length === 0 || network.bands.some((band) => board.wifiBands.includes(band));

/** How many boards of a plan have a radio for one of some bands; a board whose profile is gone counts as one that has. */
export const countHearing = (
  { devices, boardProfileId }: Pick<Plan, 'devices' | 'boardProfileId'>,
  boards: readonly BoardProfile[],
  bands: NetworkFacts['bands'],
): number =>
  devices.filter(({ overrides }) => {
    const board = findBoard(boards, overrides.boardProfileId ?? boardProfileId);
    return !board || sharesBand(board, { bands });
  }).length;

/** Boards of a plan by the bands of their radios, those that there are most of first; of one whose profile is gone, all. */
export function boardsByBands(
  { devices, boardProfileId }: Pick<Plan, 'devices' | 'boardProfileId'>,
  boards: readonly BoardProfile[],
): { bands: WifiBand[]; count: number }[] {
  const kinds = grouped(
    devices.map(({ overrides }) => {
      const board = findBoard(boards, overrides.boardProfileId ?? boardProfileId);
      return WifiBandSchema.options.filter((band) => board?.wifiBands.includes(band) ?? true);
    }),
    (bands) => bands.join(),
  );
  return [...kinds.values()]
    .map((all) => ({ bands: all[0], count: all.length }))
    .sort((a, b) => b.count - a.count);
}

/** The networks of a plan as one board meets them. */
export function candidates(
  board: BoardProfile,
  joins: readonly Join[],
  networks: readonly NetworkFacts[],
): Candidate[] {
  return joins.map((join): Candidate => {
    const network = networks.find(({ id }) => id === join.networkId) ?? null;
    if (!network) return { join, network, obstacle: 'gone' };
    const obstacle = !sharesBand(board, network)
      ? 'band'
      : !knowsSecurity(board, network.security)
        ? 'security'
        : network.heard
          ? null
          : 'not-heard';
    return { join, network, obstacle };
  });
}

/** Which network a board joins, by the rules of one of the two services; several when the rules leave it open. */
export interface Joined {
  networks: NetworkFacts[];
  why: string;
}

const byPriority = (open: readonly Candidate[]): Candidate[] => {
  const highest = Math.max(...open.map(({ join }) => join.priority));
  return open.filter(({ join }) => join.priority === highest);
};
const named = (list: readonly Candidate[]): NetworkFacts[] =>
  list.flatMap(({ network }) => (network ? [network] : []));

/**
 * NetworkManager: of the profiles that can be activated, the one with the highest `connection.autoconnect-priority`;
 * of equal ones the most recently used (nm-settings(5), "autoconnect-priority" and "timestamp"). At a first boot none
 * was used before, so equal ones are left open.
 */
export function joinsByNetworkManager(list: readonly Candidate[]): Joined | null {
  const open = list.filter(({ obstacle }) => obstacle === null);
  if (open.length === 0) return null;
  const first = byPriority(open);
  if (first.length === 1)
    return {
      networks: named(first),
      why: open.length === 1 ? 'It is the only one it can join.' : 'It has the highest priority.',
    };
  return {
    networks: named(first),
    why: 'They have one priority, and at a first boot none was used before: which one is not defined.',
  };
}

/** WPA2 and better come before WEP, WEP before open (the order of wpa_supplicant's comparison of search results). */
const securityRank = (security: WifiSecurity): number =>
  security === 'open' ? 0 : security === 'wep' ? 1 : 2;

/**
 * wpa_supplicant: the group of the highest `priority`, and within it by security, then by signal
 * (wpa_supplicant.conf(5), "priority"; search.c, wpa_scan_result_compar). The signal is not known here, so it is left open.
 */
export function joinsByWpaSupplicant(list: readonly Candidate[]): Joined | null {
  const open = list.filter(({ obstacle }) => obstacle === null);
  if (open.length === 0) return null;
  const first = byPriority(open);
  const best = Math.max(...named(first).map(({ security }) => securityRank(security)));
  const safest = first.filter(({ network }) => network && securityRank(network.security) === best);
  if (safest.length === 1)
    return {
      networks: named(safest),
      why:
        open.length === 1
          ? 'It is the only one it can join.'
          : first.length === 1
            ? 'It has the highest priority.'
            : 'Of those with the highest priority it is the better secured.',
    };
  return {
    networks: named(safest),
    why: 'They have one priority and security: the stronger signal decides.',
  };
}

/** What of a network's key goes onto a card. */
export function writtenKey(security: WifiSecurity): string {
  if (security === 'open') return 'no key';
  if (security === 'wep') return 'the key itself, in digits';
  return security === 'wpa3-sae'
    ? 'the passphrase itself, since SAE has no key that could stand for it'
    : 'a key of 64 digits made from the passphrase, never the passphrase';
}
