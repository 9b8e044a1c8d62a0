import { listed } from '../listed';
import type { Rehearsal } from './model';

type Board = Rehearsal['boards'][number];

/** What decides about a try. */
export interface Tried {
  network: string;
  begunAt: number;
  boards: readonly Board[];
  /** Boards that the network has room for beside this computer; null where nobody knows. */
  room: number | null;
}

/** How the looking came to its end. */
export type EndOfTry = 'all' | 'time' | 'asked';

/** A duration in minutes and seconds, minutes beyond an hour too. */
export const span = (milliseconds: number): string => {
  const seconds = Math.max(0, Math.round(milliseconds / 1000));
  return `${String(Math.floor(seconds / 60))}:${String(seconds % 60).padStart(2, '0')} min`;
};

const most = 6;
const names = (boards: readonly Board[]): string =>
  boards.length <= most
    ? listed(boards.map(({ hostName }) => hostName))
    : `${listed(boards.slice(0, most - 1).map(({ hostName }) => hostName))} and ${String(boards.length - most + 1)} more`;

/** The verdict of a try: passed only where every board was proved over the network that serves in the field. */
export function verdictOf(
  { network, begunAt, boards, room }: Tried,
  end: EndOfTry,
): { passed: boolean; verdict: string } {
  const proved = boards.flatMap(({ provedAt }) => (provedAt === null ? [] : [provedAt - begunAt]));
  const missing = boards.filter(({ provedAt }) => provedAt === null);
  const times =
    proved.length === 0
      ? ''
      : proved.length === 1
        ? `, after ${span(proved[0] ?? 0)}`
        : `, the first after ${span(Math.min(...proved))}, the last after ${span(Math.max(...proved))}`;
  const count = `${String(proved.length)} of ${String(boards.length)} proved over “${network}”${times}.`;
  if (missing.length === 0) return { passed: true, verdict: count };
  const why =
    room !== null && proved.length >= room
      ? ` It has room for ${String(room)} beside this computer, and they were there: take one with more room, or a second one.`
      : proved.length === 0
        ? ' Look whether it is on and awake, whether this computer is on it, and whether its clients may talk to each other.'
        : '';
  const by = end === 'time' ? ' The time was up.' : end === 'asked' ? ' It was ended before.' : '';
  return { passed: false, verdict: `${count} Missing: ${names(missing)}.${why}${by}` };
}

/** What has happened since a rehearsal. */
export interface Since {
  /** The network as it is now; null where none is chosen or it is gone. */
  network: { id: string; version: number } | null;
  /** Who goes. */
  deviceIds: readonly string[];
  /** When each device's card was written last. */
  writtenAt: ReadonlyMap<string, number>;
}

export interface RehearsalStanding {
  standing: 'none' | 'failed' | 'lapsed' | 'passed';
  why: string;
}

/** How the newest rehearsal stands today: a verdict lapses when what it was about has changed. */
export function rehearsalStanding(
  rehearsals: readonly Rehearsal[],
  { network, deviceIds, writtenAt }: Since,
): RehearsalStanding {
  const tried = rehearsals.filter(({ purpose, endedAt }) => purpose === 'rehearsal' && endedAt !== null);
  const newest = tried.reduce<Rehearsal | null>(
    (best, one) => (best === null || one.begunAt > best.begunAt ? one : best),
    null,
  );
  if (!newest) return { standing: 'none', why: 'It was not rehearsed yet.' };
  if (newest.passed !== true) return { standing: 'failed', why: newest.verdict };
  const lapsed: string[] = [];
  if (newest.networkId !== network?.id) lapsed.push('it was over another network');
  else if (newest.networkVersion !== network.version) lapsed.push('the network was changed');
  const there = new Map(newest.boards.map((board) => [board.deviceId, board]));
  const strangers = deviceIds.filter((id) => !there.has(id)).length;
  if (strangers > 0)
    lapsed.push(`${String(strangers)} ${strangers === 1 ? 'board was' : 'boards were'} not in it`);
  const written = newest.boards.filter(
    ({ deviceId, provedAt }) =>
      deviceIds.includes(deviceId) && (writtenAt.get(deviceId) ?? 0) > (provedAt ?? 0),
  );
  if (written.length > 0)
    lapsed.push(`${written.length === 1 ? 'the card' : 'cards'} of ${names(written)} written since`);
  return lapsed.length === 0
    ? { standing: 'passed', why: newest.verdict }
    : { standing: 'lapsed', why: `Since the rehearsal: ${listed(lapsed)}. Rehearse again.` };
}
