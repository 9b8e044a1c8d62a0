import {
  boardsByBands,
  ownIdOf,
  type DeviceHistory,
  type Image,
  type RecordFacts,
  type RecordImage,
} from '@nest-mark/core';
import { walked } from '@nest-mark/core/in-air';
import pLimit from 'p-limit';
import { exposureView } from '../../exposure';
import { passportOf } from '../../passport';
import type { HandOver } from '../domain';
import { gather } from '../gather';

/** Passports that are read side by side. */
const AT_ONCE = 8;

const recordImage = (image: Image): RecordImage => {
  const built = image.seen.find(({ kind, at }) => kind === 'built' && at !== null)?.at ?? null;
  return {
    title: image.title,
    sha256: image.rawSha256,
    addedAt: image.addedAt,
    age: built === null ? '' : `built ${new Date(built).toISOString().slice(0, 10)}`,
    method: ownIdOf(image.method) === null ? image.method : (image.own?.description.title ?? 'an own method'),
  };
};

/** Everything that a record of a batch is made of. @throws Problem when there is no such batch */
export async function recordFacts(handover: HandOver, batchId: string, madeBy: string): Promise<RecordFacts> {
  const { plans, repository, exposures, passports, finding, signals } = handover;
  const { plan, devices } = await gather(handover, batchId);
  const [images, networks, boards, handed, exposure, readings, log, madeAt] = await Promise.all([
    plans.images.repository.list(),
    plans.networks.repository.list(),
    plans.boards.repository.list(),
    repository.handed(batchId),
    exposureView(exposures, batchId),
    signals.repository.list(batchId),
    handover.log.ofBatch(batchId),
    finding.runs.repository.now(),
  ]);
  const limit = pLimit(AT_ONCE);
  const takenOver = new Map(handed.map((entry) => [entry.deviceId, entry]));
  const looks = new Map(exposure.devices.map((look) => [look.deviceId, look]));
  const histories = new Map<string, DeviceHistory>(
    await Promise.all(
      devices.map((device) =>
        limit(async (): Promise<[string, DeviceHistory]> => {
          const { cards, sightings, broughtUp } = await passportOf(
            passports,
            { id: batchId, plan },
            device.id,
          );
          const look = looks.get(device.id);
          const entry = takenOver.get(device.id);
          return [
            device.id,
            {
              state: device.state,
              address: device.address === null ? '' : `${device.address}:${String(device.port)}`,
              hardwareAddress: device.hardwareAddress,
              hostKeyFingerprint: device.hostKeyFingerprint,
              takenOver: entry?.takenOver ?? null,
              secretsForgottenAt: entry?.secretsForgottenAt ?? null,
              cards,
              sightings: sightings.map((one) => ({
                address: `${one.address}:${String(one.port)}`,
                hardwareAddress: one.hardwareAddress,
                keyProven: one.keyProven,
                at: one.at,
              })),
              broughtUp,
              exposure: look ? { at: look.at, by: look.by, findings: look.findings } : null,
            },
          ];
        }),
      ),
    ),
  );
  const used = new Set(
    [plan.imageId, ...plan.devices.map(({ overrides }) => overrides.imageId ?? null)].filter(
      (id) => id !== null,
    ),
  );
  const views = images.map(({ view }) => view);
  return {
    plan,
    names: {
      board: (id) => boards.find((board) => board.id === id)?.title,
      image: (id) => views.find((image) => image.id === id)?.title,
      network: (id) => networks.find((network) => network.id === id)?.title,
    },
    images: views.filter(({ id }) => used.has(id)).map(recordImage),
    histories,
    walk: walked(
      readings,
      boardsByBands(plan, boards),
      new Set(plan.networks.map(({ networkId }) => networkId)),
    ),
    log,
    madeAt,
    madeBy,
  };
}
