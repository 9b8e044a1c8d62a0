import { boardConfig, fileSlug, hubConfig, hubName, type VpnView } from '@nest-mark/core';
import {
  memberOf,
  needBatch,
  tunnelOf,
  vpnBoardOf,
  VpnError,
  vpnHubOf,
  type StoredBatch,
  type Tunnel,
} from '../plans';
import { problem } from '../platform/http/problems';
import { record } from '../platform/log/record';
import type { HandOver } from './domain';
import type { HandedFile } from './handed-file';

const refuse = (error: unknown): never => {
  throw error instanceof VpnError ? problem('vpn-not-ready', { why: error.message }) : error;
};

/** Where the devices of a batch are in its tunnel; nothing of it is a secret. */
export async function vpnView(handover: HandOver, batchId: string): Promise<VpnView> {
  const batch = await needBatch(handover.plans, batchId);
  const nothing = (lacks: string): VpnView => ({ lacks, hub: null, boards: [] });
  if (!batch.plan.vpn.wanted) return nothing('');
  try {
    const tunnel = await tunnelOf(handover.plans, batch);
    const gone = new Set(
      (await handover.repository.handed(batchId)).flatMap(({ deviceId, secretsForgottenAt }) =>
        secretsForgottenAt === null ? [] : [deviceId],
      ),
    );
    return {
      lacks: '',
      hub: { address: tunnel.hubAddress, publicKey: tunnel.hub.publicKey },
      boards: batch.plan.devices.map((device) => {
        const { address, publicKey } = memberOf(batch.plan, tunnel, device);
        return { deviceId: device.id, address, publicKey, kept: !gone.has(device.id) };
      }),
    };
  } catch (error) {
    if (error instanceof VpnError) return nothing(error.message);
    throw error;
  }
}

/** The hub's file. The mark of each device stands in it, so that a person finds whom to take out. */
const hubFile = async (handover: HandOver, batch: StoredBatch): Promise<HandedFile> => ({
  fileName: `${hubName(fileSlug(batch.plan.name))}.conf`,
  type: 'text/plain',
  content: hubConfig(await vpnHubOf(handover.plans, batch)),
});

async function boardFile(
  handover: HandOver,
  batch: StoredBatch,
  tunnel: Tunnel,
  deviceId: string,
): Promise<HandedFile> {
  const device = batch.plan.devices.find(({ id }) => id === deviceId);
  if (!device) throw problem('device-missing');
  return {
    fileName: `nest-mark.${fileSlug(device.hostName)}.conf`,
    type: 'text/plain',
    content: boardConfig(await vpnBoardOf(handover.plans, batch.plan, tunnel, device)),
  };
}

/**
 * A file of the tunnel with its secret; who got it is in the log before the file is handed out.
 * @param deviceId whose, null for the hub's
 * @throws Problem
 */
export async function vpnFile(
  handover: HandOver,
  batchId: string,
  deviceId: string | null,
  who: string,
): Promise<HandedFile> {
  const batch = await needBatch(handover.plans, batchId);
  if (!batch.plan.vpn.wanted) throw problem('vpn-not-ready', { why: 'The plan of this batch has no VPN.' });
  const file = await (
    deviceId === null
      ? hubFile(handover, batch)
      : tunnelOf(handover.plans, batch).then((tunnel) => boardFile(handover, batch, tunnel, deviceId))
  ).catch(refuse);
  const name = batch.plan.devices.find(({ id }) => id === deviceId)?.hostName ?? 'the hub';
  await record(handover, {
    kind: 'revealed',
    batchId,
    ...(deviceId === null ? {} : { deviceId }),
    text: `The VPN’s file of ${name} left the bench with its private key; asked for by ${who}.`,
  });
  return file;
}
