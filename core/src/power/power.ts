import { findBoard, type BoardProfile } from '../boards/profiles';
import { settingsOf } from '../plan/effective';
import type { Device, Plan } from '../plan/model';
import { voltsAtBoard } from './wire';

/** What hangs on a device, in milliamperes. */
export const peripheralMilliamp = (plan: Plan, device: Device): number =>
  plan.power.peripherals
    .filter(({ role }) => role.trim() === '' || role.trim() === device.role.trim())
    .reduce((sum, { milliamp }) => sum + milliamp, 0);

/** What a device draws at worst, with everything that hangs on it, in amperes; null when its profile does not say. */
export function peakAmps(plan: Plan, device: Device, board: BoardProfile | null): number | null {
  if (!board || board.peakMilliamp === null) return null;
  return (board.peakMilliamp + peripheralMilliamp(plan, device)) / 1000;
}

export type FeedStanding = 'fits' | 'tight' | 'over' | 'unknown';

/** A board at its socket. */
export interface Feed {
  device: Device;
  /** Current at worst, in amperes; null when unknown. */
  amps: number | null;
  /** Rating of the socket, in amperes; null when unknown. */
  rating: number | null;
  standing: FeedStanding;
  /** Voltage that is left at the board, in volts; null when the current is unknown. */
  volts: number | null;
  minVolts: number | null;
}

export interface FedSupply {
  title: string;
  totalAmps: number;
  /** Sum of what hangs on it, in amperes. */
  load: number;
  standing: FeedStanding;
  sockets: { rating: number; feed: Feed | null }[];
}

export interface PowerView {
  supplies: FedSupply[];
  /** Boards on a supply of their own. */
  single: Feed[];
  /** Boards for which no socket is left. */
  unfed: Feed[];
}

/** Every board with its feeding, wherever it is plugged in. */
export const everyFeed = ({ single, supplies, unfed }: PowerView): Feed[] => [
  ...single,
  ...supplies.flatMap(({ sockets }) => sockets.flatMap(({ feed }) => (feed ? [feed] : []))),
  ...unfed,
];

/** Rounding error must not turn 2.0 A at 2.0 A into an overload. */
const tiny = 1e-9;

const standingOf = (amps: number | null, rating: number | null, share: number): FeedStanding => {
  if (amps === null || rating === null) return 'unknown';
  if (amps <= rating * share + tiny) return 'fits';
  return amps <= rating + tiny ? 'tight' : 'over';
};

/**
 * Plugs the boards in, in the order of the plan: each into the first socket that feeds it with the margin kept, else
 * into the first that feeds it at all. A board whose current is unknown is counted with what its supply should give.
 */
export function feedBoards(plan: Plan, boards: readonly BoardProfile[]): PowerView {
  const share = 1 - plan.power.marginPercent / 100;
  const feeds = plan.devices.map((device): Feed => {
    const board = findBoard(boards, settingsOf(plan, device).boardProfileId);
    const amps = peakAmps(plan, device, board);
    return {
      device,
      amps,
      rating: board?.supplyAmps ?? null,
      standing: standingOf(amps, board?.supplyAmps ?? null, share),
      volts: amps === null ? null : voltsAtBoard(plan.power.cable, amps),
      minVolts: board?.minVolts ?? null,
    };
  });
  if (plan.power.supplies.length === 0) return { supplies: [], single: feeds, unfed: [] };
  const supplies = plan.power.supplies.flatMap(({ title, count, ports, totalAmps }) =>
    Array.from({ length: count }, (_, index): FedSupply => ({
      title: count > 1 ? `${title} ${String(index + 1)}` : title,
      totalAmps,
      load: 0,
      standing: 'fits',
      sockets: ports.map((rating) => ({ rating, feed: null })),
    })),
  );
  const unfed = feeds.filter(
    (feed) => !plugIn(feed, supplies, share, share) && !plugIn(feed, supplies, 1, share),
  );
  for (const supply of supplies) supply.standing = standingOf(supply.load, supply.totalAmps, share);
  return { supplies, single: [], unfed };
}

/**
 * Plugs one board into the first socket that can take it.
 * @param limit share of the ratings that may be used now
 * @param share share that leaves the margin, by which the feeding is then judged
 */
function plugIn(feed: Feed, supplies: readonly FedSupply[], limit: number, share: number): boolean {
  const amps = feed.amps ?? feed.rating ?? 0;
  for (const supply of supplies) {
    if (supply.load + amps > supply.totalAmps * limit + tiny) continue;
    const socket = supply.sockets.find(
      (candidate) => !candidate.feed && amps <= candidate.rating * limit + tiny,
    );
    if (!socket) continue;
    supply.load += amps;
    socket.feed = { ...feed, rating: socket.rating, standing: standingOf(feed.amps, socket.rating, share) };
    return true;
  }
  return false;
}
