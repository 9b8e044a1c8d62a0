import { generateKeyPairSync } from 'node:crypto';
import {
  HUB_NUMBER,
  vpnAddress,
  vpnFaults,
  type Device,
  type Plan,
  type VpnBoard,
  type VpnHub,
  type VpnMember,
  type VpnPlan,
} from '@nest-mark/core';
import type { Knex } from 'knex';
import type { Plans } from './domain';
import type { StoredBatch } from './repository';
import type { VpnPlace } from './vpn-repository';

/**
 * The tunnel of a batch: keys and places are made once, with the device, and kept. A hub's file needs the public halves
 * alone, so it stays whole when the bench forgets the private ones.
 */

const KEY = 'vpnKey';

/** The tunnel’s files cannot be made; the message says why. */
export class VpnError extends Error {
  override readonly name = 'VpnError';
}

/** A key pair for the tunnel (RFC 7748, section 5), both halves in base64. */
function makePair(): { privateKey: string; publicKey: string } {
  const { d = '', x = '' } = generateKeyPairSync('x25519').privateKey.export({ format: 'jwk' });
  const text = (part: string): string => Buffer.from(part, 'base64url').toString('base64');
  return { privateKey: text(d), publicKey: text(x) };
}

/**
 * Makes what is missing of a batch's tunnel, where the plan wants one, as part of a transaction that changes devices: one
 * of these follows the other, so no number is given twice.
 */
export async function makeVpnPlaces(plans: Plans, batchId: string, plan: Plan, db: Knex): Promise<void> {
  if (!plan.vpn.wanted) return;
  const had = await plans.vpn.places(batchId, db);
  const placed = new Set(had.map(({ ownerId }) => ownerId));
  const used = new Set(had.map(({ number }) => number));
  let number = HUB_NUMBER;
  const free = (): number => {
    while (used.has(number)) number++;
    used.add(number);
    return number;
  };
  const made = [batchId, ...plan.devices.map(({ id }) => id)]
    .filter((ownerId) => !placed.has(ownerId))
    .map((ownerId) => ({ ownerId, number: free(), ...makePair() }));
  await plans.vpn.add(batchId, made, db);
  for (const { ownerId, privateKey } of made) await plans.vault.put(ownerId, KEY, privateKey, db);
}

const needWhole = (plan: Plan): void => {
  const [fault] = vpnFaults(plan);
  if (fault) throw new VpnError(`${fault.message} ${fault.fix}`);
};

const NO_PLACE = 'It has no place in the VPN yet. Save the plan once more.';

function addressOf(vpn: VpnPlan, place: VpnPlace | undefined): string {
  if (!place) throw new VpnError(NO_PLACE);
  const address = vpnAddress(vpn.network, place.number);
  if (address === null)
    throw new VpnError(
      `The range ${vpn.network} has no address of the number ${String(place.number)}. Give the VPN a wider range, or destroy the secrets of retired devices, which keep their numbers until then.`,
    );
  return address;
}

/** A batch's tunnel as far as it is no secret. */
export interface Tunnel {
  hub: VpnPlace;
  hubAddress: string;
  /** By device; without those that have no place yet. */
  places: ReadonlyMap<string, VpnPlace>;
}

/** @throws VpnError when its files cannot be made */
export async function tunnelOf(plans: Plans, { id, plan }: StoredBatch): Promise<Tunnel> {
  needWhole(plan);
  const places = new Map((await plans.vpn.places(id)).map((place) => [place.ownerId, place]));
  const hub = places.get(id);
  if (!hub) throw new VpnError(NO_PLACE);
  return { hub, hubAddress: addressOf(plan.vpn, hub), places };
}

/** What a board is told of the tunnel. @throws VpnError */
export function memberOf({ vpn }: Pick<Plan, 'vpn'>, tunnel: Tunnel, device: Device): VpnMember {
  const place = tunnel.places.get(device.id);
  return {
    address: addressOf(vpn, place),
    publicKey: place?.publicKey ?? '',
    hubKey: tunnel.hub.publicKey,
    hub: vpn.hub,
    port: vpn.port,
    network: vpn.network,
    keepAlive: vpn.keepAlive,
  };
}

/**
 * The same with the board's secret.
 * @throws VpnError
 * @throws VaultError when the secret cannot be read
 */
export async function vpnBoardOf(
  plans: Plans,
  plan: Pick<Plan, 'vpn'>,
  tunnel: Tunnel,
  device: Device,
): Promise<VpnBoard> {
  const member = memberOf(plan, tunnel, device);
  const privateKey = await plans.vault.get(device.id, KEY);
  if (privateKey === null)
    throw new VpnError(
      (await plans.repository.isForgotten(device.id))
        ? `The bench forgot ${device.hostName}’s key of the VPN when the device was taken over.`
        : `${device.hostName}’s key of the VPN is missing. Take the device out of the plan and add a new one.`,
    );
  return { ...member, privateKey };
}

/**
 * What the hub's file is made of.
 * @throws VpnError
 * @throws VaultError when the hub's secret cannot be read
 */
export async function vpnHubOf(plans: Plans, batch: StoredBatch): Promise<VpnHub> {
  const tunnel = await tunnelOf(plans, batch);
  const privateKey = await plans.vault.get(batch.id, KEY);
  if (privateKey === null) throw new VpnError('The hub’s key is missing.');
  return {
    privateKey,
    address: tunnel.hubAddress,
    port: batch.plan.vpn.port,
    network: batch.plan.vpn.network,
    boards: batch.plan.devices.map((device) => {
      const { address, publicKey } = memberOf(batch.plan, tunnel, device);
      return { hostName: device.hostName, mark: device.mark, address, publicKey };
    }),
  };
}
