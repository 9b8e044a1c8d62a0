import { counted, listed } from '../listed';
import { networkTitle } from '../wifi/network';
import { chooseWays } from './assign';
import { wayTitles, type Way, type WayId } from './model';
import { waysOf, type Moving, type MovingBoard } from './ways';

/** What is to be done of a move on a day, or until it. */
export interface DayEntry {
  /** ISO 8601; empty where any day will do. */
  day: string;
  /** Whether the day is the last one for it. */
  last: boolean;
  what: string;
  deviceIds: string[];
}

const boards = (count: number): string => counted(count, 'board');

/** The day after one. */
export const dayAfter = (day: string): string =>
  new Date(Date.parse(`${day}T00:00:00Z`) + 86_400_000).toISOString().slice(0, 10);

/** The ways of all devices, and which of them each takes. */
export interface MoveWays {
  ways: Map<string, Way[]>;
  chosen: Map<string, WayId | null>;
}

/** @param room clients that the bridge takes at once; null where that is not known */
export function allWays(moving: Moving, devices: readonly MovingBoard[]): MoveWays {
  const ways = new Map(devices.map((device) => [device.deviceId, waysOf(moving, device)]));
  const room = moving.bridge?.clientLimit ?? null;
  // This computer is a client of the bridge too.
  const free = room === null ? null : Math.max(0, room - 1);
  return {
    ways,
    chosen: chooseWays(
      devices.map(({ deviceId }) => ({ deviceId, ways: ways.get(deviceId) ?? [] })),
      free,
    ),
  };
}

/** What a move is, day by day: undated things first, then by day. */
export function daysOf(moving: Moving, { chosen }: MoveWays): DayEntry[] {
  const { plan, to, bridge, from } = moving;
  const by = (id: WayId | null): string[] =>
    [...chosen].flatMap(([deviceId, way]) => (way === id ? [deviceId] : []));
  const entries: DayEntry[] = [];
  const add = (day: string, last: boolean, what: string, deviceIds: string[]): void => {
    if (deviceIds.length > 0) entries.push({ day, last, what, deviceIds });
  };
  const next = to ? `“${networkTitle(to)}”` : 'the new network';
  const old = from ? `“${networkTitle(from)}”` : 'the old network';
  const over = by('over-old');
  const gap = plan.oldEnds !== '' && plan.newBegins !== '' && plan.newBegins > plan.oldEnds;
  add(
    plan.oldEnds,
    true,
    `Put ${next} beside ${old} on ${boards(over.length)}, over ${old}. One board first.`,
    over,
  );
  const bridged = by('bridge');
  add(
    plan.oldEnds,
    true,
    `Put ${bridge ? `“${networkTitle(bridge)}”` : 'the bridge'} on ${boards(bridged.length)}, over ${old}; from there they go on to ${next}.`,
    bridged,
  );
  if (plan.oldEnds !== '')
    add(
      plan.oldEnds,
      false,
      `${old} ends. Whoever has not been put onto another network is not reached over it any more.`,
      [...chosen.keys()],
    );
  if (gap)
    add(
      dayAfter(plan.oldEnds),
      false,
      `No network until ${plan.newBegins}${bridge ? ', but the bridge' : ''}.`,
      [...chosen.keys()],
    );
  if (plan.bench !== 'both' && over.length + bridged.length > 0)
    add(plan.newBegins, false, `Change this computer to ${next}, then search for the boards there.`, [
      ...over,
      ...bridged,
    ]);
  for (const id of ['cable', 'screen', 'sister', 'settings', 'card'] as const) {
    const some = by(id);
    add(id === 'cable' ? plan.newBegins : '', false, `${wayTitles[id]}: ${boards(some.length)}.`, some);
  }
  const overlap = plan.newBegins !== '' && (plan.oldEnds === '' || plan.newBegins <= plan.oldEnds);
  if (overlap)
    add(plan.newBegins, false, `${next} is on the air: boards can switch over to it.`, [...chosen.keys()]);
  add(
    plan.newBegins > plan.oldEnds ? plan.newBegins : plan.oldEnds,
    false,
    `${boards(chosen.size)} proved on ${next}; then take ${old} off them, when nobody needs it.`,
    [...chosen.keys()],
  );
  return entries.sort((a, b) =>
    a.day === b.day ? 0 : a.day === '' ? -1 : b.day === '' ? 1 : a.day < b.day ? -1 : 1,
  );
}

/** What one board, or several, are left with; nobody is left with a way that ends with the old network. */
const losses: Record<WayId | 'none', readonly [one: string, several: string]> = {
  'over-old': ['is as it was', 'are as they were'],
  bridge: ['is as it was', 'are as they were'],
  cable: ['needs a cable', 'need a cable'],
  screen: ['needs a screen and a keyboard', 'need a screen and a keyboard'],
  sister: ['needs a spare board of its kind', 'need a spare board of their kind'],
  settings: ['needs its card in a slot', 'need their cards in a slot'],
  card: [
    'needs its card written anew, and loses what is on it',
    'need their card written anew, and lose what is on it',
  ],
  none: ['has no way left', 'have no way left'],
};

/** What is lost when the old network's last day passes and nothing was done; empty where nothing is. */
export function lostByWaiting(moving: Moving, devices: readonly MovingBoard[]): string {
  const { oldEnds } = moving.plan;
  if (oldEnds === '' || moving.today > oldEnds) return '';
  const now = allWays(moving, devices).chosen;
  const after = allWays({ ...moving, today: dayAfter(oldEnds) }, devices).chosen;
  const counts = new Map<WayId | 'none', number>();
  for (const [deviceId, way] of now) {
    if (way !== 'over-old' && way !== 'bridge') continue;
    const then = after.get(deviceId) ?? 'none';
    counts.set(then, (counts.get(then) ?? 0) + 1);
  }
  if (counts.size === 0) return '';
  const told = [...counts].map(([way, count]) => `${boards(count)} ${losses[way][count === 1 ? 0 : 1]}`);
  return `After ${oldEnds} ${listed(told)}.`;
}
