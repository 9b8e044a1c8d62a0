import { randomUUID } from 'node:crypto';
import pLimit from 'p-limit';
import { subnetHosts } from '@nest-mark/core';
import { fetchHostKey, type SweepHit } from '@nest-mark/station';
import { untilRecorded } from '../platform/queue/until-recorded';
import type { Finding } from './domain';

/** Addresses that are asked at once, and milliseconds for each. */
const AT_ONCE = 16;
const ASK_MS = 3000;

/**
 * Asks every address at which a board of a batch was proved who is there now, and writes down who signs: boards change
 * their addresses among themselves when their address server forgets. Nobody else is asked.
 */
export async function lookAgain(finding: Finding, batchId: string): Promise<void> {
  const records = await untilRecorded(finding, () => finding.plans.repository.records(batchId));
  const keys = new Set(records.map(({ hostKey }) => hostKey));
  const known = await untilRecorded(finding, () => finding.repository.sightings(batchId));
  const limit = pLimit(AT_ONCE);
  const seen = await Promise.all(
    known
      .filter(({ keyProven, hostKey }) => keyProven && keys.has(hostKey))
      .map(({ address, port }) =>
        limit(async () => {
          const shown = await fetchHostKey(address, port, 1, ASK_MS);
          return shown?.proven === true && keys.has(shown.hostKey)
            ? [
                {
                  address,
                  port,
                  hardwareAddress: null,
                  banner: null,
                  hostKey: shown.hostKey,
                  keyProven: true,
                },
              ]
            : [];
        }),
      ),
  );
  // All in one look: a key that signs at two addresses in it is on a card that was copied.
  await untilRecorded(finding, () =>
    finding.repository.addSightings({ id: randomUUID(), batchId }, seen.flat()),
  );
  finding.events.send({ type: 'progress', batchId });
}

/**
 * Sweeps a network that a person named for boards of a batch, and writes down who signs with one of their keys; of anybody
 * else nothing is kept.
 */
export async function lookIn(
  finding: Finding,
  batchId: string,
  { subnet, port }: { subnet: string; port: number },
  signal: AbortSignal,
): Promise<void> {
  const records = await untilRecorded(finding, () => finding.plans.repository.records(batchId));
  const keys = new Set(records.map(({ hostKey }) => hostKey));
  const hits: SweepHit[] = [];
  await finding.search(
    { addresses: subnetHosts(subnet), port },
    { signal, onHit: (hit) => hits.push(hit), onProgress: () => undefined },
  );
  const seen = hits.flatMap(({ address, port: at, key }) =>
    key?.proven === true && keys.has(key.hostKey)
      ? [{ address, port: at, hardwareAddress: null, banner: null, hostKey: key.hostKey, keyProven: true }]
      : [],
  );
  if (seen.length === 0) return;
  await untilRecorded(finding, () => finding.repository.addSightings({ id: randomUUID(), batchId }, seen));
  finding.events.send({ type: 'progress', batchId });
}
