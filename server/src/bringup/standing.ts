import { brought, type BroughtUp } from '@nest-mark/core';
import type { BringUpRepository } from './repository';

/**
 * How far each device of a batch is with being brought up, for its ring and for what is whose turn.
 * @param written when its card was written, by device: what was done before that was done to another system
 */
export async function broughtUp(
  repository: BringUpRepository,
  batchId: string,
  written: ReadonlyMap<string, number>,
): Promise<Map<string, BroughtUp>> {
  const boards = await repository.boards(batchId);
  if (boards.length === 0) return new Map();
  const off = await repository.keysOff(batchId);
  return new Map(
    boards
      .filter(({ deviceId, since }) => since >= (written.get(deviceId) ?? 0))
      .map((board) => [board.deviceId, brought(board, off.has(board.deviceId))]),
  );
}
