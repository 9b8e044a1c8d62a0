import { brought, type BroughtUp } from '@nest-mark/core';
import type { BringUpRepository, Skip, StoredBoard } from './repository';

/** What of bringing up is about the systems that boards have now. */
export interface Current {
  boards: StoredBoard[];
  /** Devices whose board is known to be without the bench's key. */
  keysOff: ReadonlySet<string>;
  skips: Skip[];
}

/**
 * What is on record of a batch's boards, without what was done or said of a system that another writing of the card has
 * replaced since.
 * @param written when its card was written, by device
 */
export async function currentOf(
  repository: BringUpRepository,
  batchId: string,
  written: ReadonlyMap<string, number>,
): Promise<Current> {
  const [boards, keysOff, skips] = await Promise.all([
    repository.boards(batchId),
    repository.keysOff(batchId),
    repository.skips(batchId),
  ]);
  const holds = (deviceId: string, at: number): boolean => at >= (written.get(deviceId) ?? 0);
  return {
    boards: boards.filter(({ deviceId, since }) => holds(deviceId, since)),
    keysOff: new Set([...keysOff].flatMap(([deviceId, at]) => (holds(deviceId, at) ? [deviceId] : []))),
    skips: skips.filter(({ deviceId, at }) => holds(deviceId, at)),
  };
}

/** How far each device of a batch is with being brought up, for its ring and for what is whose turn. */
export async function broughtUp(
  repository: BringUpRepository,
  batchId: string,
  written: ReadonlyMap<string, number>,
): Promise<Map<string, BroughtUp>> {
  const { boards, keysOff } = await currentOf(repository, batchId, written);
  return new Map(boards.map((board) => [board.deviceId, brought(board, keysOff.has(board.deviceId))]));
}

/** When the cards of a batch were written, by device. */
export const writtenAt = (cards: ReadonlyMap<string, { at: number }>): Map<string, number> =>
  new Map([...cards].map(([deviceId, { at }]) => [deviceId, at]));
