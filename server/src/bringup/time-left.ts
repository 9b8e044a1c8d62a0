import {
  bringUpSeconds,
  findBoard,
  longestFirst,
  searchSubnet,
  settingsOf,
  untilLast,
} from '@nest-mark/core';
import type { StoredBatch } from '../plans';
import type { BringUps } from './domain';
import type { StoredBoard } from './repository';

/** Seconds that a board which took longer than boards like it may still take. */
const NEARLY = 5;

/** Whether the boards of a batch are stand-ins: those live on loopback (RFC 1122, section 3.2.1.3). */
export async function isPractice({ plans }: BringUps, { plan }: StoredBatch): Promise<boolean> {
  return searchSubnet(plan, await plans.networks.repository.list()).startsWith('127.');
}

/** How long each device of a batch takes to be brought up, as far as this bench can say. */
export async function secondsOf(
  bringUps: BringUps,
  batch: StoredBatch,
): Promise<(deviceId: string) => number> {
  const { plan } = batch;
  const [times, boards] = await Promise.all([
    isPractice(bringUps, batch).then((practice) => bringUps.repository.times(practice)),
    bringUps.plans.boards.repository.list(),
  ]);
  const devices = new Map(plan.devices.map((device) => [device.id, device]));
  return (deviceId) => {
    const device = devices.get(deviceId);
    if (!device) return 0;
    const settings = settingsOf(plan, device);
    return bringUpSeconds(plan, settings, findBoard(boards, settings.boardProfileId), times);
  };
}

/** Seconds until the last board that is at work or waits its turn is done. */
export async function secondsLeft(
  bringUps: BringUps,
  batch: StoredBatch,
  boards: readonly Pick<StoredBoard, 'deviceId' | 'state'>[],
): Promise<number> {
  const takes = await secondsOf(bringUps, batch);
  const now = Date.now();
  const working = boards.flatMap(({ deviceId, state }) => {
    if (state !== 'running') return [];
    const since = bringUps.live.sinceOf(deviceId) ?? now;
    return [Math.max(NEARLY, takes(deviceId) - (now - since) / 1000)];
  });
  const waiting = boards.flatMap(({ deviceId, state }) => (state === 'queued' ? [takes(deviceId)] : []));
  return untilLast([...working, ...longestFirst(waiting, (seconds) => seconds)], batch.plan.bringUp.atOnce);
}
