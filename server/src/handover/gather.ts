import {
  coloursOf,
  deviceFacts,
  deviceStanding,
  fileSlug,
  keepsBenchKey,
  settingsOf,
  type HandoverDevice,
  type Plan,
} from '@nest-mark/core';
import { screensOf } from '@nest-mark/core/bring-up';
import { batchProgress } from '../finding';
import { memberOf, needBatch, tunnelOf, VpnError, type StoredBatch } from '../plans';
import type { HandOver } from './domain';

/** Everything that others have to know of a batch, and its name as it can stand in a file's. */
export interface Gathered {
  plan: Plan;
  slug: string;
  devices: (HandoverDevice & { id: string })[];
}

/** Addresses inside the VPN by device; none where there is none, or it is not whole yet. */
async function vpnAddresses({ plans }: HandOver, batch: StoredBatch): Promise<ReadonlyMap<string, string>> {
  if (!batch.plan.vpn.wanted) return new Map();
  try {
    const tunnel = await tunnelOf(plans, batch);
    return new Map(
      batch.plan.devices.map((device) => [device.id, memberOf(batch.plan, tunnel, device).address]),
    );
  } catch (error) {
    if (error instanceof VpnError) return new Map();
    throw error;
  }
}

/** @throws Problem when there is no such batch */
export async function gather(handover: HandOver, batchId: string): Promise<Gathered> {
  const batch = await needBatch(handover.plans, batchId);
  const { plan } = batch;
  const { devices, arrivals } = await batchProgress(handover.finding, batchId);
  const progress = new Map(devices.map((entry) => [entry.deviceId, entry]));
  const records = new Map(
    (await handover.plans.repository.records(batchId)).map((entry) => [entry.deviceId, entry]),
  );
  const boards = await handover.plans.boards.repository.list();
  const colours = coloursOf(plan);
  const inVpn = await vpnAddresses(handover, batch);
  const screens = new Map(
    (await handover.bringUps.repository.boards(batchId)).map(({ deviceId, steps }) => [
      deviceId,
      screensOf(steps.find(({ stepId }) => stepId === 'remote-screen')?.findings ?? []),
    ]),
  );
  return {
    plan,
    slug: fileSlug(plan.name),
    devices: plan.devices.map((device) => {
      const { userName } = settingsOf(plan, device);
      const entry = progress.get(device.id);
      // Only a proof gives an address out; a guess could send a login to somebody else, and so could a copied card.
      const copies = entry?.seen?.alsoAt ?? [];
      const proved = entry?.seen?.standing === 'proved' && copies.length === 0 ? entry.seen : null;
      const copiedTo = copies.length > 0 && entry?.seen ? [entry.seen.address, ...copies] : [];
      const facts = deviceFacts(plan, device, entry ?? null, boards, arrivals);
      const colour = colours.get(device.id);
      return {
        id: device.id,
        nest: device.nest,
        mark: device.mark,
        hostName: device.hostName,
        role: device.role,
        colour: colour?.letter ?? '',
        colourTitle: colour?.title ?? '',
        state: deviceStanding(facts, Date.now()).state,
        hostKey: records.get(device.id)?.hostKey ?? '',
        hostKeyFingerprint: entry?.fingerprint ?? '',
        address: proved?.address ?? null,
        port: proved?.port ?? plan.network.port,
        vpnAddress: inVpn.get(device.id) ?? null,
        hardwareAddress: proved?.hardwareAddress ?? '',
        userName,
        otherUsers: plan.access.others.map(({ name }) => name),
        screens: screens.get(device.id) ?? [],
        copiedTo,
        remark:
          copiedTo.length > 0
            ? `its card was copied: its key signs at ${copiedTo.join(' and ')}`
            : keepsBenchKey(plan.bringUp.benchKey, entry ?? { seen: null })
              ? 'the bench’s key was not taken off it'
              : '',
      };
    }),
  };
}
