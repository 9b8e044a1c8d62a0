import { setTimeout as pause } from 'node:timers/promises';
import { ClueError, type ListenPlace } from '@nest-mark/station';
import { listensOnNetworks, type ListeningSource } from '@nest-mark/core/find';
import { reasonOf } from '../platform/http/problems';
import type { KindOfRun, RunEnd, RunHandle } from '../platform/runs/runs';
import { untilRecorded } from '../platform/queue/until-recorded';
import { WatchOrderSchema, type WatchOrder } from './clue-repository';
import type { Finding } from './domain';
import { Watching } from './watch-work';
import { beginWatch } from './watches';

/** Milliseconds between two turns of the work. */
const TURN = 100;
/** Milliseconds between two times that what was heard is written down, and given clues are looked for. */
const WRITE_EVERY = 300;
/** Milliseconds between two looks at who is wanted. */
const LOOK_EVERY = 3000;

/** Opens the sources; one that cannot be had says why, and the others listen without it. */
async function listen(
  finding: Finding,
  { run }: RunHandle,
  order: WatchOrder,
  watching: Watching,
): Promise<(() => Promise<void>)[]> {
  const all: ListenPlace[] = await finding.ears.places();
  const places = all.filter(({ name }) => order.places.includes(name));
  const open = async (source: ListeningSource): Promise<(() => Promise<void>) | null> => {
    const listener = finding.ears.listeners.find((one) => one.source === source);
    try {
      if (!listener || (places.length === 0 && listensOnNetworks(source)))
        throw new ClueError('This computer is not on the network that was chosen any more.');
      const stop = await listener.listen(
        { places, names: watching.wanted, callIn: order.callIn, listPath: order.listPath },
        watching.onClue,
      );
      await untilRecorded(finding, () => finding.runs.repository.step(run.id, source, 'listening'));
      return stop;
    } catch (error) {
      await untilRecorded(finding, () =>
        finding.runs.repository.endItem(
          run.id,
          source,
          { state: 'failed', message: reasonOf(error) },
          finding.knex,
        ),
      );
      return null;
    }
  };
  return (await Promise.all(order.sources.map(open))).filter((stop) => stop !== null);
}

/**
 * Until everybody is proved, somebody stops it, or nothing is left to do. Where everybody was proved before it began,
 * who listens wants to know where they are now: it goes on until each has signed anew.
 */
async function goOn(
  finding: Finding,
  { control }: RunHandle,
  watching: Watching,
  listening: number,
): Promise<RunEnd> {
  let written = 0;
  let looked = 0;
  let missing = false;
  for (;;) {
    watching.knocking.turn();
    const now = performance.now();
    if (now - written >= WRITE_EVERY) {
      written = now;
      await watching.write();
    }
    if (now - looked >= (watching.hasNews ? WRITE_EVERY : LOOK_EVERY)) {
      looked = now;
      const { devices, proved, anew } = await untilRecorded(finding, () => watching.look());
      missing ||= proved < devices;
      if (listening > 0 && devices > 0 && (missing ? proved : anew) === devices)
        return { state: 'done', reason: `All ${String(proved)} are proved.` };
      if (listening === 0 && watching.knocking.settled) {
        await watching.settled();
        if (!watching.hasNews)
          return {
            state: 'done',
            reason: `Every address was asked; ${String(anew)} of the batch signed with their keys.`,
          };
      }
    }
    if (control.signal.aborted)
      return {
        state: 'cancelled',
        reason: finding.closing.aborted
          ? 'The program was stopped while it listened. What was heard by then is kept.'
          : 'Nobody listens any more: it was stopped.',
      };
    await pause(TURN, undefined, { signal: control.signal }).catch(() => undefined);
  }
}

/** The run that listens for the boards of a batch, and offers a handshake to each that is heard. */
export const watchRun = (finding: Finding): KindOfRun => {
  /** What was taken up of what people gave, by run, until its end is on record. */
  const taken = new Map<string, string>();
  return {
    kind: 'watch',
    // The port of address requests is never opened by itself: whoever listens begins it.
    afterKill: 'interrupt',
    async work(handle): Promise<RunEnd> {
      const { run, release } = handle;
      const order = WatchOrderSchema.parse(
        await untilRecorded(finding, () => finding.runs.repository.orderOf(run.id)),
      );
      const start = {
        at: await untilRecorded(finding, () => finding.runs.repository.now()),
        steady: performance.now(),
      };
      const watching = new Watching(finding, run.id, run.batchId ?? '', order, start);
      await untilRecorded(finding, () => watching.begin());
      const stops = await listen(finding, handle, order, watching);
      finding.events.send({ type: 'progress', batchId: run.batchId ?? '' });
      try {
        return await goOn(finding, handle, watching, stops.length);
      } finally {
        release();
        await Promise.all(stops.map((stop) => stop()));
        watching.knocking.close();
        await watching.settled();
        await watching.write().catch(() => undefined);
        taken.set(run.id, watching.lastGiven);
      }
    },
    interrupted: () =>
      Promise.resolve(
        'The program stopped while it listened. What was heard by then is kept; begin to listen again.',
      ),
    // Somebody may have given something in the moment in which it ended: that is asked in one of its own.
    async atEnd(run, db) {
      const { clues } = await finding.clues.given(run.id, taken.get(run.id) ?? '0', db);
      if (clues.length === 0 || run.batchId === null) return;
      const { port } = WatchOrderSchema.parse(await finding.runs.repository.orderOf(run.id));
      const order = { sources: [], places: [], port, callIn: null, listPath: '' };
      await finding.clues.add(await beginWatch(finding, run.batchId, order, run.begunBy, db), clues, db);
    },
    afterEnd(run) {
      taken.delete(run.id);
      finding.events.send({ type: 'log' });
      if (run.batchId !== null) finding.events.send({ type: 'progress', batchId: run.batchId });
    },
  };
};
