import { keepsBenchKey, type Exposure } from '@nest-mark/core';
import { expectedOf, judgeExposure } from '@nest-mark/core/bring-up';
import { batchProgress } from '../finding';
import { needBatch } from '../plans';
import type { Exposures } from './domain';

const underWay = new Set(['queued', 'running', 'held']);

/** What was found open on the boards of a batch, judged by the plan as it is now. @throws Problem */
export async function exposureView(exposures: Exposures, batchId: string): Promise<Exposure> {
  const batch = await needBatch(exposures.plans, batchId);
  const [looks, shelf, { devices }, run] = await Promise.all([
    exposures.repository.newest(batchId),
    exposures.plans.networks.repository.list(),
    batchProgress(exposures.finding, batchId),
    exposures.runs.repository.newestOf('exposure', batchId),
  ]);
  const items = run ? await exposures.runs.repository.items(run.id) : [];
  const planned = new Map(batch.plan.devices.map((device) => [device.id, device]));
  const progress = new Map(devices.map((entry) => [entry.deviceId, entry]));
  return {
    running:
      run && underWay.has(run.state)
        ? {
            done: items.filter(({ state }) => !underWay.has(state)).length,
            of: items.length,
          }
        : null,
    message: run && !underWay.has(run.state) ? run.reason : '',
    devices: looks.flatMap(({ deviceId, by, at, found }) => {
      const device = planned.get(deviceId);
      if (!device) return [];
      const kept = keepsBenchKey(batch.plan.bringUp.benchKey, progress.get(deviceId) ?? { seen: null });
      return [
        {
          deviceId,
          at,
          by,
          address: `${found.address}:${String(found.port)}`,
          ports: found.ports,
          outsideOnly: found.outsideOnly,
          findings: judgeExposure(found, expectedOf(batch.plan, device, shelf, batch.benchKey), kept),
        },
      ];
    }),
    missed: items.flatMap(({ subject, state, message }) =>
      state === 'failed' && planned.has(subject) ? [{ deviceId: subject, why: message }] : [],
    ),
  };
}
