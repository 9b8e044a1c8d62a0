import { record } from '../platform/log/record';
import type { Finding } from './domain';
import { needBatch } from '../plans';

/** What hands did to devices, by the column that keeps when. */
export type Stamp = 'powered_at' | 'handed_over_at' | 'carrier_done_at';

/** Notes that something was done to devices now, and tells the log. @throws Problem when there is no such batch */
export async function stamp(
  finding: Finding,
  batchId: string,
  deviceIds: string[],
  column: Stamp,
  verb: string,
  /** What is to be said of a device beside it, a sentence; empty for nothing. */
  more: (deviceId: string) => string = () => '',
): Promise<void> {
  const { plan } = await needBatch(finding.plans, batchId);
  const done = await finding.plans.repository.stamp(batchId, deviceIds, column);
  const names = new Map(plan.devices.map((device) => [device.id, device.hostName]));
  await record(
    finding,
    ...done.map((deviceId) => ({
      kind: column.replace('_at', ''),
      batchId,
      deviceId,
      text: `${names.get(deviceId) ?? deviceId} was ${verb}. ${more(deviceId)}`.trimEnd(),
    })),
  );
  finding.events.send({ type: 'progress', batchId });
}
