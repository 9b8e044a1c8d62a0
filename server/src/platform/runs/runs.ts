import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import type { Platform } from '../platform';
import { untilRecorded } from '../queue/until-recorded';
import { addJob } from '../queue/job-repository';
import { RunControl } from './control';
import type { ItemEnd, NewRun, Run, RunKind, RunState, Wish } from './model';
import type { RunRepository } from './repository';

/** How a run ended. */
export interface RunEnd {
  state: Exclude<RunState, 'queued' | 'running' | 'held' | 'interrupted'>;
  /** Why, in words; empty where the state says it. */
  reason: string;
}

/** A run in the hands of its work. */
export interface RunHandle {
  run: Run;
  control: RunControl;
  /** Says that the work is done: from here on it can be held or cancelled no more, while its end is written down. */
  release: () => void;
}

/** What is particular to one kind of run. */
export interface KindOfRun {
  kind: RunKind;
  /**
   * What becomes of a run that a killed program left: `again` begins it anew by itself, `interrupt` leaves that to a
   * person, because the world may have changed since.
   */
  afterKill: 'again' | 'interrupt';
  /** Does the work. Throws only when the program stops, or the database refuses for good. */
  work(handle: RunHandle): Promise<RunEnd>;
  /** Called when it was held or goes on. */
  held?(run: Run): void;
  /** Told, in the same transaction, that a run of a killed program is ended. @returns why, in words for people */
  interrupted(run: Run, db: Knex): Promise<string>;
  /** What is written down together with its end. */
  atEnd?(run: Run, db: Knex): Promise<void>;
  /** Called when its end is on record, or never will be. */
  afterEnd?(run: Run): void;
}

/** Times that a run is begun by itself before it is given up. */
const MOST_ATTEMPTS = 3;

type Needs = Pick<Platform, 'knex' | 'station' | 'closing'>;

/** Makes runs, carries them out, and passes on what people ask of them. */
export class Runs {
  private readonly controls = new Map<string, RunControl>();
  /** Runs whose work is done and whose end is being written down. */
  private readonly ending = new Set<string>();
  private readonly kinds = new Map<RunKind, KindOfRun>();

  constructor(
    private readonly platform: Needs,
    readonly repository: RunRepository,
  ) {}

  register(...kinds: KindOfRun[]): void {
    for (const kind of kinds) this.kinds.set(kind.kind, kind);
  }

  /** Makes a run of this station as part of a transaction, and puts it into its queue. */
  async begin(run: NewRun, db: Knex): Promise<void> {
    await this.repository.create(run, this.platform.station, db);
    await addJob(db, this.platform.station, run.kind, run.id);
  }

  /** Whether this process is at a run. */
  isAt(runId: string): boolean {
    return this.controls.has(runId);
  }

  /** Carries a run out, if it waits here and nobody else has taken it up. */
  async perform(kind: RunKind, runId: string): Promise<void> {
    const { platform, repository } = this;
    const definition = this.need(kind);
    const token = randomUUID();
    // Whatever the queue says: another station's cards are not in this reader.
    if (!(await untilRecorded(platform, () => repository.begin(runId, platform.station, token)))) return;
    const run = await untilRecorded(platform, () => repository.find(runId));
    if (!run) return;
    const control = new RunControl();
    this.controls.set(runId, control);
    let end: RunEnd;
    try {
      if (platform.closing.aborted) control.stop();
      await untilRecorded(platform, () => this.heed(runId));
      end = await definition.work({ run, control, release: () => this.release(runId) });
    } catch (error) {
      this.controls.delete(runId);
      this.ending.delete(runId);
      throw error;
    }
    this.release(runId);
    try {
      await untilRecorded(platform, () =>
        platform.knex.transaction(async (db) => {
          await repository.endItems(runId, { state: itemState(end.state), message: end.reason }, db);
          await repository.end(runId, end.state, end.reason, db);
          await definition.atEnd?.(run, db);
        }),
      );
    } finally {
      this.ending.delete(runId);
      definition.afterEnd?.(run);
    }
  }

  /**
   * Asks something of a run: at once where this process is at it, else by leaving word for the one that is.
   * @returns false when the run has ended
   */
  async ask(runId: string, wish: Wish): Promise<boolean> {
    const control = this.controls.get(runId);
    if (this.ending.has(runId)) return false;
    if (!control) return this.repository.wish(runId, wish);
    await this.obey(runId, control, wish);
    return true;
  }

  /** Looks what was asked of a run that this process is at. */
  async heed(runId: string): Promise<void> {
    const control = this.controls.get(runId);
    const wish = control && (await this.repository.takeWish(runId));
    if (wish) await this.obey(runId, control, wish);
  }

  /** Looks at all of them, after a time in which word could not get through. */
  async heedAll(): Promise<void> {
    for (const runId of [...this.controls.keys()]) await this.heed(runId);
  }

  /**
   * Takes care of what a killed program of this station left. Call it only while holding the station's lock, and before
   * the queue begins: then nobody is at any of it.
   */
  async recover(): Promise<void> {
    for (const run of await this.repository.open(this.platform.station)) {
      const definition = this.need(run.kind);
      await this.platform.knex.transaction(async (db) => {
        if (definition.afterKill === 'again' && run.attempts < MOST_ATTEMPTS) {
          await this.repository.queueAgain(run.id, db);
          await addJob(db, this.platform.station, run.kind, run.id);
          return;
        }
        const reason = await definition.interrupted(run, db);
        await this.repository.endItems(run.id, { state: 'interrupted', message: reason }, db);
        await this.repository.end(run.id, 'interrupted', reason, db);
      });
    }
  }

  /** Stops whatever this process is at. */
  stopAll(): void {
    for (const control of this.controls.values()) control.stop();
  }

  private release(runId: string): void {
    if (this.controls.delete(runId)) this.ending.add(runId);
  }

  private async obey(runId: string, control: RunControl, wish: Wish): Promise<void> {
    control.obey(wish);
    if (wish === 'cancel' || !(await this.repository.setHeld(runId, wish === 'hold'))) return;
    const run = await this.repository.find(runId);
    if (run) this.kinds.get(run.kind)?.held?.(run);
  }

  private need(kind: RunKind): KindOfRun {
    const definition = this.kinds.get(kind);
    if (!definition) throw new Error(`no such kind of run: ${kind}`);
    return definition;
  }
}

const itemState = (state: RunEnd['state']): ItemEnd['state'] => state;
