import { isSure, type Device, type LoginWay } from '@nest-mark/core';
import type { Login, ShellPlace } from '@nest-mark/station';
import { batchProgress } from '../finding';
import type { StoredBatch } from '../plans';
import { problem } from '../platform/http/problems';
import type { BringUps } from './domain';
import { loginFor, waysOf } from './ways';

/**
 * What it takes to log in to one board of a batch: where it is proved, null where it is not, and by what it is asked.
 * @throws Problem `device-missing`, or `way-missing` with what that way lacks
 */
export async function wayTo(
  bringUps: BringUps,
  batch: StoredBatch,
  deviceId: string,
  way: LoginWay,
): Promise<{ device: Device; place: ShellPlace | null; login: Login }> {
  const device = batch.plan.devices.find((one) => one.id === deviceId);
  if (!device) throw problem('device-missing');
  const lacks = waysOf(bringUps, batch).find((one) => one.way === way)?.lacks ?? '';
  if (lacks !== '') throw problem('way-missing', { why: lacks });
  const [{ devices }, record, { login }] = await Promise.all([
    batchProgress(bringUps.finding, batch.id),
    bringUps.plans.repository.recordOf(batch.id, deviceId),
    loginFor(bringUps, batch, device, way),
  ]);
  const seen = devices.find((one) => one.deviceId === deviceId)?.seen ?? null;
  const hostKey = record?.hostKey ?? null;
  const sure = seen !== null && hostKey !== null && isSure(seen);
  return { device, place: sure ? { address: seen.address, port: seen.port, hostKey } : null, login };
}
