import { findBoard, inSubnet, isSure, settingsOf, type DeviceProgress } from '@nest-mark/core';
import type { Rehearsal, Visit } from '@nest-mark/core/api';
import { rehearsalStanding, type FieldFacts } from '@nest-mark/core/in-field';
import { batchProgress } from '../finding';
import { shelfNetworks } from '../networks';
import type { StoredBatch } from '../plans';
import type { Field } from './domain';

/** Everything that is known of a batch's trip. */
export interface Trip {
  version: number;
  facts: FieldFacts;
  tries: Rehearsal[];
  visits: Visit[];
  progress: ReadonlyMap<string, DeviceProgress>;
  /** What a bundle would be made of now, in short; another text says that something was changed. */
  madeOf: string;
}

/** The newest day on site: its visits count for the list. */
const newestOnSite = (tries: readonly Rehearsal[]): Rehearsal | null =>
  tries.find(({ purpose }) => purpose === 'site') ?? null;

export async function tripOf(field: Field, batch: StoredBatch): Promise<Trip> {
  const [{ version, plan }, shelf, profiles, { devices }, tries, visits, bundle] = await Promise.all([
    field.repository.plan(batch.id),
    shelfNetworks(field.plans.networks),
    field.plans.boards.repository.list(),
    batchProgress(field.finding, batch.id),
    field.repository.tries(batch.id),
    field.repository.visits(batch.id),
    field.repository.bundle(batch.id),
  ]);
  const network = shelf.find(({ id }) => id === plan.networkId) ?? null;
  const progress = new Map(devices.map((one) => [one.deviceId, one]));
  const wanted = new Set(plan.deviceIds);
  const boards = batch.plan.devices
    .filter(({ id }) => wanted.size === 0 || wanted.has(id))
    .map((device) => ({
      device,
      profile: findBoard(profiles, settingsOf(batch.plan, device).boardProfileId) ?? null,
      written: progress.get(device.id)?.card?.state === 'verified',
    }));
  const going = boards.map(({ device }) => device.id);
  const madeOf = `${String(batch.version)}/${String(version)}/${network ? `${network.id}/${String(network.version)}` : ''}`;
  const site = newestOnSite(tries);
  const sinceArrival = visits.filter(({ at }) => site !== null && at >= site.begunAt);
  return {
    version,
    tries,
    visits,
    progress,
    madeOf,
    facts: {
      plan,
      batch: batch.plan,
      network,
      boards,
      rehearsal: rehearsalStanding(tries, {
        network,
        deviceIds: going,
        writtenAt: new Map(
          devices.flatMap(({ deviceId, card }) =>
            card?.state === 'verified' ? [[deviceId, card.at] as const] : [],
          ),
        ),
      }),
      bundleAt: bundle?.at ?? null,
      bundleCurrent: bundle?.madeOf === madeOf,
      provedOnSite: going.filter(
        (id) => site?.boards.find(({ deviceId }) => deviceId === id)?.provedAt != null,
      ).length,
      visited: going.filter((id) => sinceArrival.some(({ deviceId }) => deviceId === id)).length,
    },
  };
}

/**
 * Whether a board was proved outside the field's network since the newest rehearsal ended; null where there was none, or
 * it was not in it.
 */
export function isHome({ tries, progress, facts }: Trip, deviceId: string): boolean | null {
  const newest = tries.find(({ purpose, endedAt }) => purpose === 'rehearsal' && endedAt !== null);
  const board = newest?.boards.find((one) => one.deviceId === deviceId);
  if (!newest || newest.endedAt === null || !board || board.provedAt === null || !facts.network) return null;
  const { network } = facts;
  // Whoever knows no other network has no other home.
  if (facts.batch.networks.every(({ networkId }) => networkId === network.id)) return null;
  const seen = progress.get(deviceId)?.seen ?? null;
  return seen !== null && isSure(seen) && seen.at > newest.endedAt && !inSubnet(seen.address, network.subnet);
}
