import type { Move } from '@nest-mark/core/api';
import { allWays, daysOf, lostByWaiting, moveFindings } from '@nest-mark/core/moving';
import { waysOf as loginsOf } from '../bringup';
import type { StoredBatch } from '../plans';
import type { Moves } from './domain';
import { factsOf } from './facts';
import type { StoredMove } from './repository';

/** A day as ISO 8601 writes it, by this computer's own calendar. */
export function dayOf(time: Date): string {
  const two = (value: number): string => String(value).padStart(2, '0');
  return `${String(time.getFullYear())}-${two(time.getMonth() + 1)}-${two(time.getDate())}`;
}

/** A move, with the ways that are open today. */
export async function moveView(moves: Moves, batch: StoredBatch, move: StoredMove): Promise<Move> {
  const [facts, boards, run] = await Promise.all([
    factsOf(moves, batch, move.plan, dayOf(new Date())),
    moves.repository.boards(move.id),
    moves.runs.repository.newestOf('move', batch.id),
  ]);
  const ways = allWays(facts.moving, facts.boards);
  const open = run !== null && ['queued', 'running', 'held'].includes(run.state);
  const items = open ? await moves.runs.repository.items(run.id) : [];
  return {
    ...move,
    devices: facts.boards.map(({ deviceId }) => ({
      deviceId,
      ways: ways.ways.get(deviceId) ?? [],
      chosen: ways.chosen.get(deviceId) ?? null,
    })),
    days: daysOf(facts.moving, ways),
    lost: lostByWaiting(facts.moving, facts.boards),
    findings: moveFindings(facts.moving, batch.plan, boards.filter(({ state }) => state === 'alone').length),
    boards,
    running: open
      ? {
          done: items.filter(({ state }) => state !== 'queued' && state !== 'running').length,
          of: items.length,
          begunBy: run.begunBy,
        }
      : null,
    ended: run !== null && !open && run.queuedAt >= move.createdAt ? run.reason : '',
    logins: loginsOf(moves.bringUps, batch),
  };
}
