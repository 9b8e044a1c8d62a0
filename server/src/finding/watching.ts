import { setTimeout as pause } from 'node:timers/promises';
import { fetchHostKey, probeTcp, ClueError, type ListenPlace } from '@nest-mark/station';
import { clueKey, type Clue, type HeardClue } from '@nest-mark/core/find';
import type { ListeningSource } from '@nest-mark/core/find';
import { reasonOf } from '../platform/http/problems';
import type { KindOfRun, RunEnd, RunHandle } from '../platform/runs/runs';
import { untilRecorded } from '../platform/queue/until-recorded';
import { WatchOrderSchema, type WatchOrder } from './clue-repository';
import { beginWatch } from './watches';
import { Epochs } from './epochs';
import { Knocking, type Answer } from './knocking';
import { batchProgress } from './progress';
import type { Finding } from './domain';

/** Milliseconds between two turns of the work. */
const TURN = 100;
/** Milliseconds between two times that what was heard is written down, and given clues are looked for. */
const WRITE_EVERY = 300;
/** Different things that one listening keeps; a flood of made-up names must not fill the database. */
const MOST_CLUES = 4000;
/** Milliseconds between two looks at who is wanted. */
const LOOK_EVERY = 3000;

/** One listening at work. */
class Watching {
  private readonly heard = new Map<string, HeardClue>();
  private readonly known = new Set<string>();
  private readonly hardware = new Map<string, string>();
  private writing: Promise<void> = Promise.resolve();
  /** The last of the clues that a person gave and that was taken up. */
  lastGiven = '0';
  private changed = false;
  private names: readonly string[] = [];
  readonly knocking: Knocking;
  private readonly epochs: Epochs;

  constructor(
    private readonly finding: Finding,
    private readonly runId: string,
    private readonly batchId: string,
    private readonly order: WatchOrder,
  ) {
    const { port } = order;
    this.knocking = new Knocking(
      {
        probe: (address) => probeTcp(address, port),
        key: (address) => fetchHostKey(address, port, 1),
        now: () => performance.now(),
      },
      (answer) => this.answered(answer),
    );
    this.epochs = new Epochs(runId, async (address, hostKey) => {
      const key = await fetchHostKey(address, port, 2);
      return key?.proven === true && key.hostKey === hostKey;
    });
  }

  readonly onClue = (clue: Clue): void => {
    const key = clueKey(clue);
    const before = this.heard.get(key);
    if (before) {
      before.times++;
      before.at = clue.at;
    } else {
      if (!this.known.has(key) && this.known.size >= MOST_CLUES) return;
      this.known.add(key);
      this.heard.set(key, { ...clue, since: clue.at, times: 1 });
    }
    this.follow(clue);
  };

  private follow({ address, hardwareAddress, kind }: Clue): void {
    if (address === null) return;
    if (hardwareAddress !== null) this.hardware.set(address, hardwareAddress);
    if (kind !== 'leaves') this.knocking.heard(address);
  }

  private answered({ address, banner, key }: Answer): void {
    const { finding, runId, batchId } = this;
    const proven = key?.proven ?? false;
    this.writing = this.writing
      .then(async () => {
        const { look, still } =
          proven && key ? await this.epochs.proved(key.hostKey, address) : { look: runId, still: [] };
        const sighting = (at: string) => ({
          address: at,
          port: this.order.port,
          hardwareAddress: this.hardware.get(at) ?? null,
          banner,
          hostKey: key?.hostKey ?? null,
          keyProven: proven,
        });
        await untilRecorded(finding, () =>
          finding.repository.addSightings({ id: look, batchId }, [...still, address].map(sighting)),
        );
        finding.events.send({ type: 'progress', batchId });
        this.changed = true;
      })
      // The database refused it for good: whoever signed is asked anew.
      .catch(() => this.knocking.again(address));
  }

  /** Names that are asked for: of devices that are not proved. */
  readonly wanted = (): readonly string[] => this.names;

  /** Looks who is still wanted, and tells the log who was proved. @returns whether everybody is there */
  async look(told: Map<string, string>): Promise<{ all: boolean; proved: number }> {
    const { finding, batchId } = this;
    // What comes while it is looked is news for the next look.
    this.changed = false;
    const [progress, batch] = await Promise.all([
      batchProgress(finding, batchId),
      finding.plans.repository.find(batchId),
    ]);
    const devices = batch?.plan.devices ?? [];
    const proved = new Map(
      progress.devices.flatMap(({ deviceId, seen }) =>
        seen?.standing === 'proved' ? [[deviceId, seen] as const] : [],
      ),
    );
    this.names = devices.filter(({ id }) => !proved.has(id)).map(({ hostName }) => hostName);
    const news = devices.flatMap(({ id, hostName }) => {
      const seen = proved.get(id);
      if (!seen || told.get(id) === seen.address) return [];
      const first = !told.has(id);
      told.set(id, seen.address);
      return [
        {
          kind: 'proved',
          batchId,
          deviceId: id,
          text: `${hostName} was proved at ${seen.address} by its host key${first ? '' : ', where it is now'}.`,
        },
      ];
    });
    if (news.length > 0) {
      await finding.log.add(news, finding.knex);
      finding.events.send({ type: 'log' });
    }
    return { all: devices.length > 0 && devices.every(({ id }) => proved.has(id)), proved: proved.size };
  }

  get hasNews(): boolean {
    return this.changed;
  }

  /** Writes down what was heard since the last time, and takes up what a person gave. */
  async write(): Promise<void> {
    const { finding, runId } = this;
    const clues = [...this.heard.values()];
    this.heard.clear();
    if (clues.length > 0) {
      await untilRecorded(finding, () => finding.clues.add(runId, clues));
      finding.events.send({ type: 'progress', batchId: this.batchId });
    }
    const { last, clues: given } = await untilRecorded(finding, () =>
      finding.clues.given(runId, this.lastGiven),
    );
    this.lastGiven = last;
    for (const clue of given) this.follow(clue);
  }

  async settled(): Promise<void> {
    await this.writing;
  }
}

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
      if (!listener || places.length === 0)
        throw new ClueError('This computer is not on the network that was chosen any more.');
      const stop = await listener.listen({ places, names: watching.wanted }, watching.onClue);
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

/** Until everybody is proved, somebody stops it, or nothing is left to do. */
async function goOn(
  finding: Finding,
  { control }: RunHandle,
  watching: Watching,
  listening: number,
): Promise<RunEnd> {
  const told = new Map<string, string>();
  let written = 0;
  let looked = 0;
  for (;;) {
    watching.knocking.turn();
    const now = performance.now();
    const due = watching.hasNews ? 0 : LOOK_EVERY;
    if (now - written >= WRITE_EVERY) {
      written = now;
      await watching.write();
    }
    if (now - looked >= Math.max(WRITE_EVERY, due)) {
      looked = now;
      const { all, proved } = await untilRecorded(finding, () => watching.look(told));
      if (all) return { state: 'done', reason: `All ${String(proved)} are proved.` };
      if (listening === 0 && watching.knocking.settled) {
        await watching.settled();
        if (!watching.hasNews)
          return {
            state: 'done',
            reason: `Every address was asked; ${String(proved)} of the batch are proved.`,
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
      const watching = new Watching(finding, run.id, run.batchId ?? '', order);
      await untilRecorded(finding, () => watching.look(new Map())).catch(() => undefined);
      const stops = await listen(finding, handle, order, watching);
      finding.events.send({ type: 'progress', batchId: run.batchId ?? '' });
      try {
        return await goOn(finding, handle, watching, stops.length);
      } finally {
        release();
        await Promise.all(stops.map((stop) => stop()));
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
      const order = { sources: [], places: [], port };
      await finding.clues.add(await beginWatch(finding, run.batchId, order, run.begunBy, db), clues, db);
    },
    afterEnd(run) {
      taken.delete(run.id);
      finding.events.send({ type: 'log' });
      if (run.batchId !== null) finding.events.send({ type: 'progress', batchId: run.batchId });
    },
  };
};
