import { keepsBenchKey } from '@nest-mark/core';
import { batchProgress } from '../finding';
import { stamp } from '../finding';
import { needBatch } from '../plans';
import { problem } from '../platform/http/problems';
import type { HandOver } from './domain';

/** A device whose card was copied is two boards; nobody can say which of them is handed over. @throws Problem */
export async function refuseCopied(
  handover: HandOver,
  batchId: string,
  deviceIds: readonly string[],
): Promise<void> {
  const { plan } = await needBatch(handover.plans, batchId);
  const names = new Map(plan.devices.map((device) => [device.id, device.hostName]));
  const { devices } = await batchProgress(handover.finding, batchId);
  const copied = devices.filter(
    ({ deviceId, seen }) => deviceIds.includes(deviceId) && (seen?.alsoAt.length ?? 0) > 0,
  );
  if (copied.length > 0)
    throw problem('card-copied', {
      copies: copied
        .map(
          ({ deviceId, seen }) =>
            `${names.get(deviceId) ?? deviceId} signs at ${[seen?.address, ...(seen?.alsoAt ?? [])].join(' and ')}: its card was copied`,
        )
        .join('; '),
    });
}

/** Notes that devices were handed over now, and says who still lets the bench in. @throws Problem when a card of theirs was copied */
export async function handOver(handover: HandOver, batchId: string, deviceIds: string[]): Promise<void> {
  await refuseCopied(handover, batchId, deviceIds);
  const { plan } = await needBatch(handover.plans, batchId);
  const { devices } = await batchProgress(handover.finding, batchId);
  const progress = new Map(devices.map((entry) => [entry.deviceId, entry]));
  await stamp(handover.finding, batchId, deviceIds, 'handed_over_at', 'handed over', (deviceId) =>
    keepsBenchKey(plan.bringUp.benchKey, progress.get(deviceId) ?? { seen: null })
      ? 'The bench’s key was not taken off it.'
      : '',
  );
}
