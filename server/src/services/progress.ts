import { matchSightings, type BatchProgress, type DeviceProgress } from '@nest-mark/core';
import type { Context } from './context';

/** How far each device of a batch is. */
export async function batchProgress(context: Context, batchId: string): Promise<BatchProgress> {
  const [records, cards, sightings, rounds, scan] = await Promise.all([
    context.batches.records(batchId),
    context.rounds.latestCards(batchId),
    context.scans.sightings(batchId),
    context.rounds.ofBatch(batchId),
    context.scans.latest(batchId),
  ]);
  const { matches, strangers } = matchSightings(records, sightings);
  const byDevice = new Map(matches.map((match) => [match.deviceId, match]));
  const live = rounds.map((round) => context.live.overlay(round));
  const devices = records.map((device): DeviceProgress => {
    const stored = cards.get(device.deviceId);
    const inRound = live.flatMap((round) =>
      round.cards.filter((card) => card.deviceId === device.deviceId),
    )[0];
    const card = inRound ?? stored;
    const match = byDevice.get(device.deviceId);
    // What was seen before the card was written anew was another system. A card that was taken as a file and written
    // elsewhere is not on record here; its board is known by its key all the same.
    const written = !card || (card.state === 'verified' && (match?.sighting.at ?? 0) >= card.at);
    const current = match && written ? match : null;
    return {
      deviceId: device.deviceId,
      card: card ? { state: card.state, share: card.share, at: card.at, message: card.message } : null,
      poweredAt: device.poweredAt,
      handedOverAt: device.handedOverAt,
      carrierDoneAt: device.carrierDoneAt,
      fingerprint: device.fingerprint,
      seen: current && {
        standing: current.standing,
        at: current.sighting.at,
        address: current.sighting.address,
        port: current.sighting.port,
        hardwareAddress: current.sighting.hardwareAddress,
        evidence: current.evidence,
        alsoAt: current.alsoAt,
      },
    };
  });
  return { batchId, devices, strangers, rounds: live, scan };
}
