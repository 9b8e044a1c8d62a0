import { isSure, keepsBenchKey, LoginWaySchema, type Device, type FoundOpen } from '@nest-mark/core';
import { expectedOf, judgeExposure } from '@nest-mark/core/bring-up';
import { lookAtBoard, ShellError, type ShellPlace } from '@nest-mark/station';
import pLimit from 'p-limit';
import * as z from 'zod';
import { loginFor } from '../bringup';
import { batchProgress } from '../finding';
import { needBatch, type StoredBatch } from '../plans';
import { reasonOf } from '../platform/http/problems';
import { untilRecorded } from '../platform/queue/until-recorded';
import type { ItemEnd, RunItem } from '../platform/runs/model';
import type { KindOfRun, RunEnd, RunHandle } from '../platform/runs/runs';
import { VaultError } from '../platform/vault/seal';
import type { Exposures } from './domain';

/** Boards that are looked at side by side. */
const AT_ONCE = 6;

const ExposureOrderSchema = z.object({ way: LoginWaySchema.nullable() });

/** Looks at the boards of a run. */
async function work(exposures: Exposures, { run, control }: RunHandle): Promise<RunEnd> {
  const { runs } = exposures;
  const { batchId } = run;
  if (batchId === null) return { state: 'failed', reason: 'Its batch is not on record.' };
  const { way } = ExposureOrderSchema.parse(
    await untilRecorded(exposures, () => runs.repository.orderOf(run.id)),
  );
  const [items, batch, shelf] = await untilRecorded(exposures, () =>
    Promise.all([
      runs.repository.items(run.id),
      needBatch(exposures.plans, batchId),
      exposures.plans.networks.repository.list(),
    ]),
  );
  const stopped = (): boolean => control.signal.aborted;
  const one = async (item: RunItem): Promise<void> => {
    const device = batch.plan.devices.find(({ id }) => id === item.subject);
    const end = async (how: ItemEnd, found: FoundOpen | null): Promise<void> => {
      const text =
        found && device
          ? await untilRecorded(exposures, () => sentence(exposures, batch, device, found))
          : '';
      await untilRecorded(exposures, () =>
        exposures.knex.transaction(async (db) => {
          if (!(await runs.repository.endItem(run.id, item.subject, how, db)) || !found || !device) return;
          await exposures.repository.add(device.id, run.begunBy, found, db);
          await exposures.log.add([{ kind: 'exposure', batchId, deviceId: device.id, text }], db);
        }),
      );
      exposures.events.send({ type: 'progress', batchId });
    };
    if (stopped()) return;
    if (!device) return end({ state: 'failed', message: 'The device left the plan.' }, null);
    // Where it is, is asked at the last moment: an address may have been given to somebody else.
    const place = await untilRecorded(exposures, () => placeOf(exposures, batchId, device.id));
    if (typeof place === 'string') return end({ state: 'failed', message: place }, null);
    try {
      const expected = expectedOf(batch.plan, device, shelf, batch.benchKey);
      const login = way === null ? null : (await loginFor(exposures.bringUps, batch, device, way)).login;
      const found = await lookAtBoard({ place, expected, login, signal: control.signal });
      await end({ state: 'done', message: '' }, found);
    } catch (error) {
      if (exposures.closing.aborted) throw error;
      // It may have been stopped since it was begun.
      if (stopped()) return;
      if (!(error instanceof ShellError || error instanceof VaultError)) throw error;
      await end({ state: 'failed', message: reasonOf(error) }, null);
    }
  };
  const limit = pLimit(AT_ONCE);
  const results = await Promise.allSettled(items.map((item) => limit(() => one(item))));
  const broken = results.find((result) => result.status === 'rejected');
  if (broken) throw broken.reason;
  return stopped() ? { state: 'cancelled', reason: 'It was stopped.' } : { state: 'done', reason: '' };
}

/** What a look came to, for the log. */
async function sentence(
  exposures: Exposures,
  batch: StoredBatch,
  device: Device,
  found: FoundOpen,
): Promise<string> {
  const [{ devices }, shelf] = await Promise.all([
    batchProgress(exposures.finding, batch.id),
    exposures.plans.networks.repository.list(),
  ]);
  const progress = devices.find(({ deviceId }) => deviceId === device.id);
  const kept = keepsBenchKey(batch.plan.bringUp.benchKey, progress ?? { seen: null });
  const findings = judgeExposure(found, expectedOf(batch.plan, device, shelf, batch.benchKey), kept).filter(
    ({ severity }) => severity !== 'note',
  );
  return findings.length === 0
    ? `${device.hostName} was looked at from the network: nothing is open that should not be.`
    : `${device.hostName} was looked at from the network: ${findings.map(({ text }) => text).join(' ')}`;
}

/** Where a board was proved; a sentence where it was not. */
async function placeOf(
  exposures: Exposures,
  batchId: string,
  deviceId: string,
): Promise<ShellPlace | string> {
  const { devices } = await batchProgress(exposures.finding, batchId);
  const records = await exposures.plans.repository.records(batchId);
  const seen = devices.find((device) => device.deviceId === deviceId)?.seen ?? null;
  const hostKey = records.find((record) => record.deviceId === deviceId)?.hostKey ?? null;
  // Of a card that was copied nobody can say which board is meant.
  return seen && hostKey !== null && isSure(seen)
    ? { address: seen.address, port: seen.port, hostKey }
    : 'It is not proved anywhere any more.';
}

/** The run that looks how exposed boards are. */
export const exposureRun = (exposures: Exposures): KindOfRun => ({
  kind: 'exposure',
  afterKill: 'interrupt',
  work: (handle) => work(exposures, handle),
  interrupted: () => Promise.resolve('The program stopped in the middle of it. Look again.'),
  afterEnd(run) {
    exposures.events.send({ type: 'log' });
    if (run.batchId !== null) exposures.events.send({ type: 'progress', batchId: run.batchId });
  },
});
