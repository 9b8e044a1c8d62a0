import {
  matchSightings,
  type BatchProgress,
  type DeviceProgress,
  type Stranger,
  type StrangerView,
} from '@nest-mark/core';
import type { Finding } from './domain';
import { hear, tellsOf } from './hearing';
import { latestWatch } from './watches';

/** Strangers with what is known of them: boards of other batches by name, and keys that were only shown. */
async function named(
  finding: Finding,
  batchId: string,
  strangers: readonly Stranger[],
): Promise<StrangerView[]> {
  const keys = strangers.flatMap(({ hostKey }) => (hostKey === null ? [] : [hostKey]));
  const owners = new Map(
    (keys.length > 0 ? await finding.plans.repository.ownersOfKeys(keys) : []).map((owner) => [
      owner.hostKey,
      owner,
    ]),
  );
  return strangers.map(({ showsKeyOf: _whose, ...sighting }) => {
    const owner = owners.get(sighting.hostKey ?? '');
    const name =
      owner && `${owner.hostName}${owner.batchId === batchId ? '' : ` of the batch ${owner.batchName}`}`;
    return {
      ...sighting,
      known:
        name === undefined
          ? ''
          : sighting.keyProven
            ? `It is ${name}: it signed with that board’s key.`
            : `It shows the key of ${name} and did not sign with it. That is no proof, and no copy of its card.`,
    };
  });
}

/** Progress without what is reckoned from it; see `withLook`. */
export type HowFar = Omit<BatchProgress, 'look'>;

/** How far each device of a batch is. */
export async function batchProgress(finding: Finding, batchId: string): Promise<HowFar> {
  const [records, cards, sightings, rounds, search, watch, before, arrivals] = await Promise.all([
    finding.plans.repository.records(batchId),
    finding.rounds.repository.latestCards(batchId),
    finding.repository.sightings(batchId),
    finding.rounds.repository.ofBatch(batchId),
    finding.repository.latest(batchId),
    latestWatch(finding, batchId),
    finding.before.before(batchId),
    finding.repository.arrivals(),
  ]);
  const { matches, strangers } = matchSightings(records, sightings);
  const written = new Map([...cards].map(([deviceId, card]) => [deviceId, card.at]));
  const broughtUp = await finding.broughtUp(batchId, written);
  const byDevice = new Map(matches.map((match) => [match.deviceId, match]));
  const heard = await hear(finding, batchId, watch, before, matches, sightings);
  const told = await tellsOf(finding, batchId, matches, heard.hosts);
  const drill = finding.drillOf(batchId);
  const live = rounds.map((round) => finding.rounds.live.overlay(round));
  const devices = records.map((device): DeviceProgress => {
    const stored = cards.get(device.deviceId);
    const inRound = live.flatMap((round) =>
      round.cards.filter((card) => card.deviceId === device.deviceId),
    )[0];
    // What runs is known better here; what has ended, by what became of the card since.
    const ended = stored && !['queued', 'writing', 'verifying'].includes(stored.state);
    const card = ended ? stored : (inRound ?? stored);
    const match = byDevice.get(device.deviceId);
    // What was seen before the card was written anew was another system. A card that was taken as a file and written
    // elsewhere is not on record here; its board is known by its key all the same.
    const done = card?.state === 'verified' || card?.state === 'lost';
    const written = !card || (done && (match?.sighting.at ?? 0) >= card.at);
    // In a drill, and until it is put away, every board was powered anew: what it proved before says nothing about it.
    const since = drill ? (device.poweredAt ?? 0) : 0;
    const current = match && written && match.sighting.at >= since ? match : null;
    return {
      deviceId: device.deviceId,
      card: card ? { state: card.state, share: card.share, at: card.at, message: card.message } : null,
      poweredAt: device.poweredAt,
      handedOverAt: device.handedOverAt,
      carrierDoneAt: device.carrierDoneAt,
      bringUp: broughtUp.get(device.deviceId) ?? null,
      fingerprint: device.fingerprint,
      seen: current && {
        standing: current.standing,
        at: current.sighting.at,
        address: current.sighting.address,
        port: current.sighting.port,
        hardwareAddress: current.sighting.hardwareAddress,
        evidence: current.evidence,
        alsoAt: current.alsoAt,
        told: told.get(device.deviceId) ?? [],
      },
      heard: current ? null : (heard.devices.get(device.deviceId) ?? null),
    };
  });
  return {
    batchId,
    devices,
    strangers: await named(finding, batchId, strangers),
    rounds: live,
    search,
    watch,
    hosts: heard.views,
    arrivals: Object.fromEntries(arrivals),
    remembered: before && { at: before.at, hosts: before.hosts },
  };
}
