import { deviceFacts, mayBeHandedOver, listed, type TakenOver } from '@nest-mark/core';
import { batchProgress } from '../finding';
import { needBatch } from '../plans';
import { problem } from '../platform/http/problems';
import { record } from '../platform/log/record';
import type { HandOver } from './domain';
import { refuseCopied } from './handed-over';
import { destroySecrets } from './secrets';

const names = (some: readonly string[]): string =>
  some.length > 6 ? `${String(some.length)} devices` : listed(some);

/**
 * Notes who took devices over, which closes their handing over; with `forget` the bench forgets the private halves of
 * their host keys and their passwords as well. All of it or nothing.
 * @throws Problem when one of them may not be handed over, or is being worked on
 */
export async function takeOver(
  handover: HandOver,
  batchId: string,
  { deviceIds, by, forget }: TakenOver,
  who: string,
): Promise<void> {
  const { plan } = await needBatch(handover.plans, batchId);
  const wanted = plan.devices.filter(({ id }) => deviceIds.includes(id));
  if (wanted.length < new Set(deviceIds).size) throw problem('device-missing');
  await refuseCopied(handover, batchId, deviceIds);
  const { devices, arrivals } = await batchProgress(handover.finding, batchId);
  const progress = new Map(devices.map((entry) => [entry.deviceId, entry]));
  const boards = await handover.plans.boards.repository.list();
  const early = wanted.filter((device) => {
    const facts = deviceFacts(plan, device, progress.get(device.id) ?? null, boards, arrivals);
    return facts.handedOverAt === null && !mayBeHandedOver(facts);
  });
  if (early.length > 0)
    throw problem('not-handed-over', {
      names: names(early.map(({ hostName }) => hostName)),
      why:
        early.length === 1
          ? 'it was not proved, or not brought up'
          : 'they were not proved, or not brought up',
    });
  const hostNames = new Map(wanted.map(({ id, hostName }) => [id, hostName]));
  const nameOf = (id: string): string => hostNames.get(id) ?? id;
  await handover.knex.transaction(async (db) => {
    // Waits for a plan that is being saved or a round that is being armed, and keeps others from beginning.
    await handover.repository.lock(batchId, deviceIds, db);
    const taken = await handover.repository.takeOver(batchId, deviceIds, by, db);
    const gone = forget
      ? await destroySecrets(handover, deviceIds, (some) => names(some.map(nameOf)), db)
      : [];
    await handover.log.add(
      [
        ...taken.map((deviceId) => ({
          kind: 'taken_over',
          batchId,
          deviceId,
          text: `${nameOf(deviceId)} was taken over by ${by}; noted by ${who}.`,
        })),
        ...gone.map((deviceId) => ({
          kind: 'forgotten',
          batchId,
          deviceId,
          text: `The bench forgot the private half of ${nameOf(deviceId)}’s host key, its password and its key of the VPN; asked for by ${who}.`,
        })),
      ],
      db,
    );
  });
  handover.events.send({ type: 'log' });
  handover.events.send({ type: 'progress', batchId });
}

/**
 * Writes down why a device was retired, and destroys what lets the bench in if asked. One that is in the plan is refused:
 * its card may still be written.
 * @throws Problem
 */
export async function closeRetired(
  handover: HandOver,
  batchId: string,
  deviceId: string,
  { reason, forget }: { reason: string; forget: boolean },
  who: string,
): Promise<void> {
  await handover.knex.transaction(async (db) => {
    await handover.repository.lock(batchId, [deviceId], db);
    const name = await handover.repository.giveReason(batchId, deviceId, reason, db);
    if (name === null) throw problem('not-retired');
    const gone = forget ? await destroySecrets(handover, [deviceId], () => name, db) : [];
    if (forget) await handover.plans.vpn.remove(deviceId, db);
    await handover.log.add(
      [
        ...(reason === ''
          ? []
          : [
              {
                kind: 'retired',
                batchId,
                deviceId,
                text: `${name} was retired: ${reason}. Noted by ${who}.`,
              },
            ]),
        ...gone.map(() => ({
          kind: 'forgotten',
          batchId,
          deviceId,
          text: `The bench destroyed the private half of ${name}’s host key, its password and its key of the VPN; asked for by ${who}.`,
        })),
      ],
      db,
    );
  });
  handover.events.send({ type: 'log' });
  handover.events.send({ type: 'batches' });
}

/** Records of what leaves as a file. */
export const exported = (handover: HandOver, batchId: string, fileName: string, who: string): Promise<void> =>
  record(handover, {
    kind: 'exported',
    batchId,
    text: `The file ${fileName} was handed out; asked for by ${who}.`,
  });
