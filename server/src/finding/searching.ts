import { subnetHosts, type Search } from '@nest-mark/core';
import type { SearchProgress, SweepHit } from '@nest-mark/station';
import { reasonOf } from '../platform/http/problems';
import type { KindOfRun, RunEnd, RunHandle } from '../platform/runs/runs';
import { news, provedNow, type Proof } from './news';
import type { Finding } from './domain';
import { untilRecorded } from '../platform/queue/until-recorded';

const services = (count: number): string => `${String(count)} login ${count === 1 ? 'service' : 'services'}`;

/** What a search came to, in a sentence that claims no more than was done. */
function searchMessage(
  { subnet, state }: Pick<Search, 'subnet' | 'state'>,
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

/** Milliseconds between two words about how far a search is. */
const TELL_EVERY = 300;

interface Searched {
  state: 'done' | 'cancelled' | 'failed';
  message: string;
  progress: SearchProgress;
  before: ReadonlyMap<string, Proof>;
  addresses: readonly string[];
}

/** Sweeps the subnet and writes down what answers, as it comes; all of it is on record when it returns. */
async function sweep(finding: Finding, job: Search, { run, control, release }: RunHandle): Promise<Searched> {
  const { batchId, subnet, port } = job;
  let progress: SearchProgress = { done: 0, total: job.total, unreachable: 0 };
  let told = 0;
  const addresses: string[] = [];
  /** Sightings are written down one after the other, each until it is on record. */
  let writing: Promise<void> = Promise.resolve();
  const keep = (hit: SweepHit): void => {
    addresses.push(hit.address);
    const sighting = {
      address: hit.address,
      port: hit.port,
      hardwareAddress: null,
      banner: hit.banner,
      hostKey: hit.key?.hostKey ?? null,
      keyProven: hit.key?.proven ?? false,
    };
    writing = writing.then(() =>
      untilRecorded(finding, () => finding.repository.addSightings(job, [sighting])),
    );
    writing.then(() => finding.events.send({ type: 'progress', batchId })).catch(() => undefined);
  };
  const onProgress = (now: SearchProgress): void => {
    progress = now;
    finding.events.tell({ type: 'search', search: { ...job, state: 'running', done: now.done } });
    if (Date.now() - told < TELL_EVERY) return;
    told = Date.now();
    finding.runs.repository.advance(run.id, subnet, now.done).catch(() => undefined);
  };
  let before: ReadonlyMap<string, Proof> = new Map();
  let state: Searched['state'] = 'failed';
  let message: string;
  try {
    before = await untilRecorded(finding, () => provedNow(finding, batchId));
    await untilRecorded(finding, () => finding.runs.repository.step(run.id, subnet, 'sweeping'));
    finding.events.send({ type: 'search', search: { ...job, state: 'running' } });
    progress = await finding.search(
      { addresses: subnetHosts(subnet), port },
      { signal: control.signal, onHit: keep, onProgress },
    );
    state = control.signal.aborted ? 'cancelled' : 'done';
    message = searchMessage({ subnet, state }, addresses.length, progress);
  } catch (error) {
    message = `The search could not be made: ${reasonOf(error)}`;
  } finally {
    release();
  }
  await writing;
  return { state, message, progress, before, addresses };
}

/** Writes down how a search ended, once, with what it found out. */
async function record(finding: Finding, job: Search, searched: Searched): Promise<void> {
  const { state, message, progress, before, addresses } = searched;
  const { id, batchId, subnet } = job;
  // Read after the search: the connections have filled the table.
  const neighbours = await finding.neighbours.read().catch(() => new Map<string, string>());
  const known = new Map([...neighbours].filter(([address]) => addresses.includes(address)));
  if (known.size > 0) await untilRecorded(finding, () => finding.repository.setHardware(id, known));
  const now = await untilRecorded(finding, () => provedNow(finding, batchId));
  const batch = await untilRecorded(finding, () => finding.plans.repository.find(batchId));
  const names = new Map(batch?.plan.devices.map((device) => [device.id, device.hostName]));
  await untilRecorded(finding, () => finding.runs.repository.advance(id, subnet, progress.done));
  await untilRecorded(finding, () =>
    finding.knex.transaction(async (db) => {
      if (!(await finding.runs.repository.endItem(id, subnet, { state, message }, db))) return;
      await finding.repository.setUnreachable(id, progress.unreachable, db);
      await finding.log.add(
        [
          { kind: 'search', batchId, text: message },
          ...news(names, before, now).map((entry) => ({ ...entry, batchId })),
        ],
        db,
      );
    }),
  );
}

/** The run that looks for the boards of a batch on a subnet. */
export const searchRun = (finding: Finding): KindOfRun => ({
  kind: 'search',
  // What answers now may not have answered then; whoever wants to know searches again.
  afterKill: 'interrupt',
  async work(handle): Promise<RunEnd> {
    const job = await untilRecorded(finding, () => finding.repository.find(handle.run.id));
    if (!job) return { state: 'failed', reason: 'What was to be searched is not on record.' };
    const searched = await sweep(finding, job, handle);
    await record(finding, job, searched);
    return { state: searched.state, reason: searched.message };
  },
  interrupted: () =>
    Promise.resolve(
      'The program stopped in the middle of the search. What had answered by then is kept; search again.',
    ),
  afterEnd(run) {
    finding.events.send({ type: 'log' });
    if (run.batchId !== null) finding.events.send({ type: 'progress', batchId: run.batchId });
    void finding.repository
      .find(run.id)
      .then((search) => search && finding.events.send({ type: 'search', search }))
      .catch(() => undefined);
  },
});
