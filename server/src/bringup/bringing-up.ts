import pLimit from 'p-limit';
import { counted, kindOf, longestFirst, settingsOf, type Device } from '@nest-mark/core';
import { expectedOf, stepsOf } from '@nest-mark/core/bring-up';
import { bringUpBoard, type BoardEnd } from '@nest-mark/station';
import { needBatch, type StoredBatch } from '../plans';
import { reasonOf } from '../platform/http/problems';
import { untilRecorded } from '../platform/queue/until-recorded';
import type { RunItem } from '../platform/runs/model';
import type { KindOfRun, RunEnd, RunHandle } from '../platform/runs/runs';
import { VaultError } from '../platform/vault/seal';
import type { BringUps } from './domain';
import { BringUpOrderSchema, type BringUpOrder } from './order';
import type { BoardTook } from './repository';
import { Places } from './places';
import { currentOf, writtenAt } from './standing';
import { isPractice, secondsOf } from './time-left';
import { loginFor, vpnFor } from './ways';

/** Milliseconds between two words to the browsers that something went on. */
const TELL_EVERY = 200;
/** One run, as it goes through its boards. */
class Bringing {
  private readonly places: Places;
  private told = 0;
  private telling: NodeJS.Timeout | null = null;
  /** Boards whose packages were upgraded in this run. */
  private readonly updated = new Set<string>();

  constructor(
    private readonly bringUps: BringUps,
    private readonly handle: RunHandle,
    private readonly batch: StoredBatch,
    private readonly order: BringUpOrder,
  ) {
    this.places = new Places(bringUps, batch.id);
  }

  /** Says that something went on: a few times a second, however much it is. */
  tell(): void {
    const { events } = this.bringUps;
    const send = (): void => {
      this.telling = null;
      this.told = Date.now();
      events.tell({ type: 'bring-up', batchId: this.batch.id });
    };
    if (this.telling) return;
    const wait = this.told + TELL_EVERY - Date.now();
    if (wait <= 0) send();
    else this.telling = setTimeout(send, wait);
  }

  /** Brings one board up, and writes down how that ended. */
  async board(item: RunItem): Promise<BoardEnd> {
    const { bringUps, handle } = this;
    const { runs } = bringUps;
    const began = Date.now();
    const end = await this.work(item).catch((error: unknown): BoardEnd => {
      if (bringUps.closing.aborted || !(error instanceof VaultError)) throw error;
      return { state: 'hand', message: reasonOf(error) };
    });
    // What the program's own end stopped goes on with the next start.
    if (end.state === 'stopped' && bringUps.closing.aborted) throw new Error('the program stops');
    const state = end.state === 'ready' ? 'done' : end.state === 'hand' ? 'failed' : 'cancelled';
    const took = end.state === 'ready' ? await this.took(item, (Date.now() - began) / 1000) : null;
    await untilRecorded(bringUps, () =>
      bringUps.knex.transaction(async (db) => {
        if (
          !(await runs.repository.endItem(handle.run.id, item.subject, { state, message: end.message }, db))
        )
          return;
        if (took) await bringUps.repository.keepTime(took, db);
        await bringUps.log.add(
          [
            {
              kind: end.state === 'ready' ? 'brought-up' : 'bring-up-ended',
              batchId: this.batch.id,
              deviceId: item.subject,
              text: this.sentence(item.subject, end),
            },
          ],
          db,
        );
      }),
    );
    bringUps.events.send({ type: 'progress', batchId: this.batch.id });
    bringUps.events.send({ type: 'log' });
    this.tell();
    return end;
  }

  /** What a board took, where it teaches the forecast: in one go, and with packages upgraded where they were to be. */
  private async took({ subject: deviceId, attempts }: RunItem, seconds: number): Promise<BoardTook | null> {
    const { bringUps, handle, order, batch } = this;
    const device = this.device(deviceId);
    const updated = this.updated.has(deviceId);
    if (!device || attempts > 0 || (!updated && !order.plan.without.includes('updates'))) return null;
    const { boardProfileId, imageId } = settingsOf(batch.plan, device);
    const practice = await untilRecorded(bringUps, () => isPractice(bringUps, batch));
    const kind = kindOf(boardProfileId, imageId);
    return { runId: handle.run.id, deviceId, kind, updated, practice, seconds };
  }

  close(): void {
    if (this.telling) clearTimeout(this.telling);
  }

  private device(deviceId: string): Device | undefined {
    return this.batch.plan.devices.find(({ id }) => id === deviceId);
  }

  private sentence(deviceId: string, { state, message }: BoardEnd): string {
    const name = this.device(deviceId)?.hostName ?? 'A device';
    if (state === 'ready') return `${name} was brought up: every step is done or was well.`;
    if (state === 'stopped') return `Bringing ${name} up was stopped.`;
    return `${name} needs a look: ${message}`;
  }

  private async work({ subject: deviceId }: RunItem): Promise<BoardEnd> {
    const { bringUps, handle, batch, order } = this;
    const { repository, runs, live, plans } = bringUps;
    const { id: runId } = handle.run;
    const device = this.device(deviceId);
    if (!device) return { state: 'hand', message: 'The device left the plan.' };
    const [login, { vpn, vpnFile }, shelf, { skips }] = await untilRecorded(bringUps, async () =>
      Promise.all([
        loginFor(bringUps, batch, device, order.way),
        vpnFor(bringUps, batch, device),
        plans.networks.repository.list(),
        currentOf(
          repository,
          batch.id,
          writtenAt(await bringUps.finding.rounds.repository.latestCards(batch.id)),
        ),
      ]),
    );
    live.begin(deviceId);
    await untilRecorded(bringUps, () => repository.beginAgain(runId, deviceId));
    await untilRecorded(bringUps, () => runs.repository.step(runId, deviceId, 'logging in'));
    bringUps.events.send({ type: 'progress', batchId: batch.id });
    return bringUpBoard({
      steps: stepsOf(order.plan, device.role),
      expected: expectedOf(batch.plan, device, shelf, batch.benchKey, vpn),
      vpnFile,
      ...login,
      packagePort: order.plan.packagePort,
      skipped: new Map(
        skips.filter((skip) => skip.deviceId === deviceId).map(({ stepId, reason }) => [stepId, reason]),
      ),
      place: () => this.places.of(deviceId),
      seek: () => this.places.seek(),
      note: async (stepId, note) => {
        if (stepId === 'updates' && note.state === 'done') this.updated.add(deviceId);
        await untilRecorded(bringUps, () => repository.note(runId, deviceId, stepId, note));
        this.tell();
      },
      recall: async (stepId) => {
        const bootId = await untilRecorded(bringUps, () => repository.recall(runId, deviceId, stepId));
        return bootId === null ? null : { bootId };
      },
      remember: (stepId, { bootId }) =>
        untilRecorded(bringUps, () => repository.remember(runId, deviceId, stepId, bootId)),
      told: (text) => {
        live.tell(deviceId, text);
        this.tell();
      },
      job: (progress) => {
        live.setJob(deviceId, progress);
        this.tell();
      },
      signal: handle.control.signal,
      patience: bringUps.patience,
    });
  }
}

const boardsOf = (count: number): string => counted(count, 'board');

/** The run that brings boards up, side by side. */
export const bringUpRun = (bringUps: BringUps): KindOfRun => ({
  kind: 'bring-up',
  // Where each board is, it says itself: beginning again does nothing twice.
  afterKill: 'again',
  async work(handle): Promise<RunEnd> {
    const { run, control, release } = handle;
    const { runs, plans } = bringUps;
    const order = BringUpOrderSchema.parse(
      await untilRecorded(bringUps, () => runs.repository.orderOf(run.id)),
    );
    const batch = await untilRecorded(bringUps, () => needBatch(plans, run.batchId ?? ''));
    const items = await untilRecorded(bringUps, () => runs.repository.items(run.id));
    const takes = await untilRecorded(bringUps, () => secondsOf(bringUps, batch));
    const open = longestFirst(
      items.filter(({ state }) => state === 'queued' || state === 'running'),
      ({ subject }) => takes(subject),
    );
    const bringing = new Bringing(bringUps, handle, batch, order);
    const ends: BoardEnd[] = [];
    try {
      const [first] = open;
      let rest = open;
      if (order.plan.oneFirst && first && open.length === items.length) {
        rest = open.slice(1);
        const end = await bringing.board(first);
        ends.push(end);
        if (end.state === 'hand') {
          release();
          return {
            state: 'failed',
            reason: `The first board needs a look, so the others were not begun: ${end.message}`,
          };
        }
      }
      const limit = pLimit(order.plan.atOnce);
      ends.push(...(await Promise.all(rest.map((item) => limit(() => bringing.board(item))))));
    } finally {
      bringing.close();
    }
    release();
    if (control.signal.aborted) return { state: 'cancelled', reason: 'It was stopped.' };
    const hands = ends.filter(({ state }) => state === 'hand').length;
    return {
      state: 'done',
      reason:
        hands === 0
          ? `${boardsOf(ends.length)} brought up.`
          : `${boardsOf(hands)} of ${String(items.length)} need a look.`,
    };
  },
  interrupted: () =>
    Promise.resolve(
      'The program stopped in the middle of it, again and again. Begin it anew: nothing is done twice.',
    ),
  afterEnd(run) {
    if (run.batchId === null) return;
    bringUps.events.send({ type: 'progress', batchId: run.batchId });
    bringUps.events.send({ type: 'bring-up', batchId: run.batchId });
    bringUps.events.send({ type: 'log' });
  },
});
