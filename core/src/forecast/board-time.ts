import * as z from 'zod';
import { kindOf } from '../boards/arrivals';
import type { BoardProfile } from '../boards/profiles';
import type { DeviceSettings } from '../plan/effective';
import type { Plan } from '../plan/model';
import { quantile } from './rates';

/** How long boards of a kind took to be brought up here, from the login to ready, in one go. */
export const BoardTimeSchema = z.object({
  /** As `kindOf` names it. */
  kind: z.string(),
  /** Whether packages were upgraded. */
  updated: z.boolean(),
  /** Seconds of each, of the newest ones. */
  seconds: z.array(z.number()),
});
export type BoardTime = z.infer<typeof BoardTimeSchema>;

/** Seconds in which a bench that brings boards up has asked one of them everything; measured: 1 to 3 s beside seven others. */
export const ASKED_SECONDS = 10;

/** The middle of what was measured of boards like one of a plan; null before anything was. */
export function measuredBringUp(
  plan: Plan,
  settings: Pick<DeviceSettings, 'boardProfileId' | 'imageId'>,
  times: readonly BoardTime[],
): { seconds: number; seen: number } | null {
  const kind = kindOf(settings.boardProfileId, settings.imageId);
  const own = times.find((time) => time.kind === kind && time.updated === updatesOf(plan));
  return own && own.seconds.length > 0
    ? { seconds: quantile(own.seconds, 0.5), seen: own.seconds.length }
    : null;
}

/** Whether boards of a plan have their packages upgraded when they are brought up. */
export const updatesOf = ({ bringUp }: Plan): boolean => !bringUp.without.includes('updates');

/** Seconds that bringing a board up takes: as measured here, else by the bench's book values with a line of its own. */
export function bringUpSeconds(
  plan: Plan,
  settings: Pick<DeviceSettings, 'boardProfileId' | 'imageId'>,
  board: Pick<BoardProfile, 'speed'> | null,
  times: readonly BoardTime[],
): number {
  const measured = measuredBringUp(plan, settings, times);
  if (measured) return measured.seconds;
  const { bench } = plan;
  const speed = board?.speed ?? 1;
  if (!updatesOf(plan)) return ASKED_SECONDS;
  const download = (bench.updateMB * 8) / bench.internetMbps;
  return download + (bench.updateSeconds + bench.rebootSeconds) / speed + ASKED_SECONDS;
}

/**
 * The order in which boards finish first as a batch: those that take longest begin (longest processing time first; at
 * most 4/3 of the shortest possible time, Graham 1969). Boards that take alike stay in their order.
 */
export const longestFirst = <T>(items: readonly T[], secondsOf: (item: T) => number): T[] =>
  items
    .map((item, at) => ({ item, at, seconds: secondsOf(item) }))
    .sort((a, b) => b.seconds - a.seconds || a.at - b.at)
    .map(({ item }) => item);

/**
 * Seconds until the last of some pieces of work is done, when so many are at work at once and the next begins where one
 * ended. @param seconds in the order in which they begin
 */
export function untilLast(seconds: readonly number[], atOnce: number): number {
  const free = Array.from({ length: Math.max(1, atOnce) }, () => 0);
  for (const piece of seconds) {
    const first = free.indexOf(Math.min(...free));
    free[first] = (free[first] ?? 0) + Math.max(0, piece);
  }
  return Math.max(0, ...free);
}
