import { randomUUID } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import { inSubnet, isSure } from '@nest-mark/core';
import type { Rehearsal } from '@nest-mark/core/api';
import { verdictOf, type EndOfTry } from '@nest-mark/core/in-field';
import type { Knex } from 'knex';
import { batchProgress, lookIn } from '../finding';
import { untilRecorded } from '../platform/queue/until-recorded';
import type { KindOfRun, RunEnd, RunHandle } from '../platform/runs/runs';
import type { Field } from './domain';
import { TryOrderSchema, type TryOrder } from './order';

/** Milliseconds between two looks over the field's network. */
const LOOK_EVERY = 1500;

/** Gone with its batch while it went on. */
const GONE = 'It is not on record any more.';

/** Writes down who was proved over the field's network since the try began. @returns the try; null where it is gone */
async function noteProved(
  field: Field,
  { run }: RunHandle,
  { tryId, subnet }: TryOrder,
  batchId: string,
): Promise<Rehearsal | null> {
  const before = await field.repository.findTry(tryId);
  if (!before || before.endedAt !== null) return before;
  const { devices } = await batchProgress(field.finding, batchId);
  const seen = new Map(devices.map((one) => [one.deviceId, one.seen]));
  const news = before.boards.flatMap(({ deviceId, hostName, provedAt }) => {
    const here = seen.get(deviceId) ?? null;
    return provedAt === null &&
      here !== null &&
      isSure(here) &&
      here.at >= before.begunAt &&
      inSubnet(here.address, subnet)
      ? [{ deviceId, hostName, address: here.address, at: here.at }]
      : [];
  });
  if (news.length === 0) return before;
  await field.knex.transaction(async (db) => {
    for (const { deviceId, hostName, address, at } of news) {
      if (!(await field.repository.proved(tryId, deviceId, address, at, db))) continue;
      await field.runs.repository.endItem(run.id, deviceId, { state: 'done', message: address }, db);
      if (before.purpose !== 'site') continue;
      const note = `Proved at ${address} over “${before.network}”.`;
      await field.repository.addVisit(
        { id: randomUUID(), batchId, deviceId, who: before.begunBy, note, volts: null },
        db,
      );
      await field.log.add([{ kind: 'visited', batchId, deviceId, text: `${hostName}: ${note}` }], db);
    }
  });
  field.events.send({ type: 'field', batchId });
  return field.repository.findTry(tryId);
}

/** Judges a try and writes its verdict down, once. */
async function end(
  field: Field,
  batchId: string,
  tried: Rehearsal,
  { room }: TryOrder,
  how: EndOfTry,
  db: Knex,
): Promise<RunEnd> {
  const judged = verdictOf({ ...tried, room }, how);
  if (await field.repository.endTry(tried.id, judged.passed, judged.verdict, db)) {
    const what = tried.purpose === 'site' ? 'On site' : 'Rehearsal';
    await field.log.add(
      [
        {
          kind: 'rehearsal-ended',
          batchId,
          text: `${what}, ${judged.passed ? 'passed' : 'not passed'}: ${judged.verdict}`,
        },
      ],
      db,
    );
  }
  return { state: judged.passed ? 'done' : how === 'asked' ? 'cancelled' : 'failed', reason: judged.verdict };
}

/** The run that looks for boards over the network that serves in the field, until all were proved or the time is up. */
export const rehearsalRun = (field: Field): KindOfRun => ({
  kind: 'rehearsal',
  // It only looks; who was proved stays proved, and its time counts on.
  afterKill: 'again',
  async work(handle): Promise<RunEnd> {
    const { run, control, release } = handle;
    const batchId = run.batchId ?? '';
    const order = TryOrderSchema.parse(
      await untilRecorded(field, () => field.runs.repository.orderOf(run.id)),
    );
    for (;;) {
      const tried = await untilRecorded(field, () => noteProved(field, handle, order, batchId));
      if (!tried) {
        release();
        return { state: 'failed', reason: GONE };
      }
      // Killed between its verdict and its end.
      if (tried.endedAt !== null) {
        release();
        return { state: tried.passed === true ? 'done' : 'failed', reason: tried.verdict };
      }
      const now = await untilRecorded(field, () => field.runs.repository.now());
      if (field.closing.aborted) throw new Error('the program stops');
      const how: EndOfTry | null = tried.boards.every(({ provedAt }) => provedAt !== null)
        ? 'all'
        : control.signal.aborted
          ? 'asked'
          : now - tried.begunAt >= order.minutes * 60_000
            ? 'time'
            : null;
      if (how !== null) {
        release();
        return untilRecorded(field, () =>
          field.knex.transaction((db) => end(field, batchId, tried, order, how, db)),
        );
      }
      const place = { subnet: order.subnet, port: order.port };
      // A look that breaks, as in a network that is not there yet, is made again.
      await lookIn(field.finding, batchId, place, control.signal).catch(() => undefined);
      await pause(LOOK_EVERY, undefined, { signal: control.signal }).catch(() => undefined);
    }
  },
  async interrupted(run, db) {
    const text = 'The program stopped in the middle of it, again and again. Begin it anew.';
    const order = TryOrderSchema.safeParse(await field.runs.repository.orderOf(run.id));
    if (order.success) await field.repository.endTry(order.data.tryId, false, text, db);
    return text;
  },
  afterEnd(run) {
    if (run.batchId === null) return;
    field.events.send({ type: 'field', batchId: run.batchId });
    field.events.send({ type: 'progress', batchId: run.batchId });
    field.events.send({ type: 'log' });
  },
});
