import { subnetHosts, type Scan } from '@nest-mark/core';
import type { ScanHit, SearchProgress } from '@nest-mark/station';
import { batchProgress } from '../services/progress';
import type { Context } from '../services/context';
import { untilRecorded } from '../services/until-recorded';

interface Proof {
  address: string;
  alsoAt: readonly string[];
}

/** Where the devices are proved, by id. */
async function proved(context: Context, batchId: string): Promise<Map<string, Proof>> {
  const { devices } = await batchProgress(context, batchId);
  return new Map(
    devices.flatMap(({ deviceId, seen }) =>
      seen?.standing === 'proved'
        ? [[deviceId, { address: seen.address, alsoAt: seen.alsoAt }] as const]
        : [],
    ),
  );
}

const services = (count: number): string => `${String(count)} login ${count === 1 ? 'service' : 'services'}`;

/** What a search came to, in a sentence that claims no more than was done. */
export function searchMessage(
  { subnet, state }: Pick<Scan, 'subnet' | 'state'>,
  hits: number,
  { done, total, unreachable }: SearchProgress,
): string {
  if (total > 0 && unreachable === total)
    return `Nothing was asked: this computer has no way to ${subnet}. Is it on that network?`;
  const answered = `${services(hits)} answered on ${subnet}`;
  const apart = unreachable > 0 ? ` To ${String(unreachable)} addresses this computer has no way.` : '';
  if (state === 'cancelled')
    return `The search was stopped after ${String(done)} of ${String(total)} addresses; ${answered} by then.${apart}`;
  return `${answered}.${apart}`;
}

/** What changed by a search, for the log: who was proved where, and whose card was copied. */
function news(
  names: ReadonlyMap<string, string>,
  before: ReadonlyMap<string, Proof>,
  now: ReadonlyMap<string, Proof>,
): { kind: string; deviceId: string; text: string }[] {
  return [...now].flatMap(([deviceId, { address, alsoAt }]) => {
    const name = names.get(deviceId) ?? deviceId;
    if (alsoAt.length > 0)
      return [
        {
          kind: 'copied',
          deviceId,
          text: `${name} was proved at ${[address, ...alsoAt].join(' and ')} in one search: its card was copied. It is not handed over before only one of them is left.`,
        },
      ];
    return before.get(deviceId)?.address === address
      ? []
      : [{ kind: 'proved', deviceId, text: `${name} was proved at ${address} by its host key.` }];
  });
}

/** Looks through a subnet and writes down what answers, as it comes. */
export async function scanSubnet(context: Context, scanId: string): Promise<void> {
  const job = await untilRecorded(context, () => context.scans.find(scanId));
  if (job?.state !== 'queued') return;
  if ((await untilRecorded(context, () => context.scans.stationOf(scanId))) !== context.station) return;
  const { batchId } = job;
  const stop = new AbortController();
  context.stoppers.set(scanId, stop);
  let progress: SearchProgress = { done: 0, total: job.total, unreachable: 0 };
  const send = (change: Partial<Scan>): void =>
    context.events.send({ type: 'scan', scan: { ...job, done: progress.done, ...change } });
  const addresses: string[] = [];
  /** Sightings are written down one after the other, each until it is on record. */
  let writing: Promise<void> = Promise.resolve();
  const keep = (hit: ScanHit): void => {
    addresses.push(hit.address);
    const sighting = {
      address: hit.address,
      port: hit.port,
      hardwareAddress: null,
      banner: hit.banner,
      hostKey: hit.key?.hostKey ?? null,
      keyProven: hit.key?.proven ?? false,
    };
    writing = writing.then(() => untilRecorded(context, () => context.scans.addSightings(job, [sighting])));
    writing.then(() => context.events.send({ type: 'progress', batchId })).catch(() => undefined);
  };
  let state: Scan['state'] = 'failed';
  let message = '';
  let before = new Map<string, Proof>();
  try {
    before = await untilRecorded(context, () => proved(context, batchId));
    await untilRecorded(context, () => context.scans.set(scanId, { state: 'running' }));
    send({ state: 'running' });
    progress = await context.search(
      { addresses: subnetHosts(job.subnet), port: job.port },
      {
        signal: stop.signal,
        onHit: keep,
        onProgress: (now) => {
          progress = now;
          send({ state: 'running' });
        },
      },
    );
    state = stop.signal.aborted ? 'cancelled' : 'done';
    message = searchMessage({ subnet: job.subnet, state }, addresses.length, progress);
  } catch (error) {
    message = `The search could not be made: ${error instanceof Error ? error.message : String(error)}`;
  } finally {
    context.stoppers.delete(scanId);
  }
  try {
    await writing;
    // Read after the search: the connections have filled the table.
    const neighbours = await context.neighbours.read().catch(() => new Map<string, string>());
    const known = new Map([...neighbours].filter(([address]) => addresses.includes(address)));
    if (known.size > 0) await untilRecorded(context, () => context.scans.setHardware(scanId, known));
    const now = await untilRecorded(context, () => proved(context, batchId));
    const batch = await untilRecorded(context, () => context.batches.find(batchId));
    const names = new Map(batch?.plan.devices.map((device) => [device.id, device.hostName]));
    await untilRecorded(context, () =>
      context.knex.transaction(async (db) => {
        if (
          !(await context.scans.end(
            scanId,
            { state, done: progress.done, message },
            progress.unreachable,
            db,
          ))
        )
          return;
        await context.log.add(
          [
            { kind: 'scan', batchId, text: message },
            ...news(names, before, now).map((entry) => ({ ...entry, batchId })),
          ],
          db,
        );
      }),
    );
    send({ state, message });
    context.events.send({ type: 'log' });
  } finally {
    context.events.send({ type: 'progress', batchId });
  }
}
