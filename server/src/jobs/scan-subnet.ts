import { subnetHosts } from '@nest-mark/core';
import { scan } from '@nest-mark/station';
import { batchProgress } from '../services/progress';
import { record, type Context } from '../services/context';

/** Names of the devices that are proved, by id. */
async function proved(context: Context, batchId: string): Promise<Map<string, string>> {
  const { devices } = await batchProgress(context, batchId);
  return new Map(
    devices.flatMap(({ deviceId, seen }) =>
      seen?.standing === 'proved' ? [[deviceId, seen.address] as const] : [],
    ),
  );
}

/** Looks through a subnet and writes down what answered. */
export async function scanSubnet(context: Context, scanId: string): Promise<void> {
  const job = await context.scans.find(scanId);
  if (job?.state !== 'queued') return;
  const stop = new AbortController();
  context.stoppers.set(scanId, stop);
  const before = await proved(context, job.batchId);
  let lastSent = 0;
  const send = (change: Partial<typeof job>): void =>
    context.events.send({ type: 'scan', scan: { ...job, ...change } });
  try {
    await context.scans.set(scanId, { state: 'running' });
    send({ state: 'running' });
    const hits = await scan(subnetHosts(job.subnet), job.port, {
      signal: stop.signal,
      onProgress: (done, total) => {
        if (Date.now() - lastSent < 200 && done < total) return;
        lastSent = Date.now();
        send({ state: 'running', done });
      },
    });
    // Read after the scan: the connections have filled the table.
    const neighbours = await context.neighbours.read().catch(() => new Map<string, string>());
    for (const hit of hits)
      await context.scans.addSighting(job, {
        address: hit.address,
        port: hit.port,
        hardwareAddress: neighbours.get(hit.address) ?? null,
        banner: hit.banner,
        hostKey: hit.key?.hostKey ?? null,
        keyProven: hit.key?.proven ?? false,
      });
    const state = stop.signal.aborted ? 'cancelled' : 'done';
    const message = `${String(hits.length)} login ${hits.length === 1 ? 'service' : 'services'} answered on ${job.subnet}.`;
    await context.scans.set(scanId, { state, done: job.total, message });
    const batch = await context.batches.find(job.batchId);
    const names = new Map(batch?.plan.devices.map((device) => [device.id, device.hostName]));
    const now = await proved(context, job.batchId);
    await record(
      context,
      { kind: 'scan', batchId: job.batchId, text: message },
      ...[...now]
        .filter(([deviceId, address]) => before.get(deviceId) !== address)
        .map(([deviceId, address]) => ({
          kind: 'proved',
          batchId: job.batchId,
          deviceId,
          text: `${names.get(deviceId) ?? deviceId} was proved at ${address} by its host key.`,
        })),
    );
    send({ state, done: job.total, message });
  } catch (error) {
    const message = `The search could not be made: ${error instanceof Error ? error.message : String(error)}`;
    await context.scans.set(scanId, { state: 'failed', message });
    send({ state: 'failed', message });
  } finally {
    context.stoppers.delete(scanId);
    context.events.send({ type: 'progress', batchId: job.batchId });
  }
}
