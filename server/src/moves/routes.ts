import { randomUUID } from 'node:crypto';
import * as z from 'zod';
import { MoveSchema, NewMoveSchema, StartMoveSchema, type Move } from '@nest-mark/core/api';
import { counted, isSure, ssidBytes, toHex, type ShelvedNetwork } from '@nest-mark/core';
import { moveFindings } from '@nest-mark/core/moving';
import { waysOf as loginsOf } from '../bringup';
import { batchProgress } from '../finding';
import { needBatch, type StoredBatch } from '../plans';
import { problem } from '../platform/http/problems';
import { refusedBy } from '../platform/http/refused-by';
import { IdSchema, route, type Route } from '../platform/http/route';
import { versionOf } from '../platform/http/version';
import { once, onceProblems } from '../platform/idempotency/once';
import type { Moves } from './domain';
import { factsOf } from './facts';
import type { MoveOrder } from './order';
import type { StoredMove } from './repository';
import { dayOf, moveView } from './view';

async function needMove(moves: Moves, id: string): Promise<{ move: StoredMove; batch: StoredBatch }> {
  const move = await moves.repository.find(id);
  if (!move) throw problem('move-missing');
  return { move, batch: await needBatch(moves.plans, move.batchId) };
}

const viewOf = async (moves: Moves, id: string): Promise<Move> => {
  const { move, batch } = await needMove(moves, id);
  return moveView(moves, batch, move);
};

const boardsOf = (count: number): string => counted(count, 'board');

/**
 * The octets of the old network's name, for boards that have come over and may forget it.
 * @throws Problem where one of them has not come over, or the old network is not known any more
 */
async function leaving(
  moves: Moves,
  moveId: string,
  from: ShelvedNetwork | null,
  deviceIds: readonly string[],
): Promise<string> {
  const ssid = from && ssidBytes(from);
  if (!ssid || ssid.length === 0)
    throw problem('move-not-ready', {
      why: 'The old network is not chosen, or no longer on the shelf. Choose it, so that its name is known.',
    });
  const stands = new Map((await moves.repository.boards(moveId)).map((one) => [one.deviceId, one.state]));
  const early = deviceIds.filter((id) => !['moved', 'alone'].includes(stands.get(id) ?? '')).length;
  if (early > 0)
    throw problem('move-not-ready', {
      why: `${boardsOf(early)} of them did not come over yet. The old network is taken off boards only that were proved on the new one.`,
    });
  return toHex(ssid);
}

/** Begins to move boards, or to take the old network off those that have moved. @throws Problem */
async function start(
  moves: Moves,
  id: string,
  { deviceIds, way, version, task }: z.infer<typeof StartMoveSchema>,
  begunBy: string,
): Promise<Move> {
  const { move, batch } = await needMove(moves, id);
  if (move.version !== version) throw problem('move-changed');
  const lacks = loginsOf(moves.bringUps, batch).find((one) => one.way === way)?.lacks ?? '';
  if (lacks !== '') throw problem('way-missing', { why: lacks });
  const { moving } = await factsOf(moves, batch, move.plan, dayOf(new Date()));
  const { to, from, plan } = moving;
  const [grave] = moveFindings(moving, batch.plan).filter(({ stops }) => stops);
  if (grave || !to)
    throw problem('move-not-ready', { why: `${grave?.text ?? ''} ${grave?.todo ?? ''}`.trim() });
  const { devices } = await batchProgress(moves.finding, batch.id);
  const known = new Map(devices.map((device) => [device.deviceId, device]));
  const wanted = [...new Set(deviceIds)];
  if (wanted.some((one) => !known.has(one))) throw problem('device-missing');
  const stranger = wanted.find((one) => !isSure(known.get(one)?.seen ?? null));
  if (stranger !== undefined)
    throw problem('not-a-proved-board', {
      name: batch.plan.devices.find((device) => device.id === stranger)?.hostName ?? stranger,
    });
  const old = task === 'take-off' ? await leaving(moves, move.id, from, wanted) : null;
  const order: MoveOrder = {
    moveId: move.id,
    task,
    oldHex: old,
    way,
    plan,
    to: { id: to.id, version: to.version, subnet: to.subnet },
    port: batch.plan.network.port,
  };
  await moves.knex
    .transaction(async (db) => {
      const held = await moves.repository.hold(move.id, db);
      if (held === null) throw problem('move-missing');
      if (held !== version) throw problem('move-changed');
      await moves.runs.begin(
        {
          id: randomUUID(),
          kind: 'move',
          batchId: batch.id,
          begunBy,
          order,
          items: wanted.map((deviceId) => ({ subject: deviceId, deviceId, total: 1 })),
        },
        db,
      );
      await moves.log.add(
        [
          {
            kind: 'move-started',
            batchId: batch.id,
            text: `${task === 'move' ? `Moving ${boardsOf(wanted.length)} to another network` : `Taking the old network off ${boardsOf(wanted.length)}`} was begun.`,
          },
        ],
        db,
      );
    })
    .catch(refusedBy('run_move_once', () => problem('move-running')));
  moves.events.send({ type: 'move', batchId: batch.id });
  moves.events.send({ type: 'log' });
  return viewOf(moves, id);
}

export const moveRoutes = (moves: Moves): Route[] => [
  route({
    method: 'get',
    path: '/batches/:id/move',
    summary: 'The move that a batch is at, with the ways that are open today',
    params: IdSchema,
    answer: z.object({ move: MoveSchema.nullable() }),
    problems: ['batch-missing'],
    run: async ({ params }) => {
      const batch = await needBatch(moves.plans, params.id);
      const move = await moves.repository.ofBatch(params.id);
      return { move: move && (await moveView(moves, batch, move)) };
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/move',
    summary: 'Plan a move of a batch to another network',
    params: IdSchema,
    body: NewMoveSchema,
    answer: MoveSchema,
    status: 201,
    problems: ['batch-missing', 'move-exists'],
    run: async ({ params, body }) => {
      const batch = await needBatch(moves.plans, params.id);
      const id = randomUUID();
      await moves.knex.transaction(async (db) => {
        if (!(await moves.repository.create(id, batch.id, body.plan, db))) throw problem('move-exists');
        await moves.log.add(
          [{ kind: 'move-planned', batchId: batch.id, text: 'A move to another network was planned.' }],
          db,
        );
      });
      moves.events.send({ type: 'move', batchId: batch.id });
      return viewOf(moves, id);
    },
  }),
  route({
    method: 'put',
    path: '/moves/:id',
    summary: 'Save a move; If-Match names the version that was read',
    params: IdSchema,
    body: NewMoveSchema,
    answer: MoveSchema,
    problems: ['move-missing', 'move-changed', 'version-missing', 'batch-missing'],
    run: async ({ params, body, request }) => {
      const version = versionOf(request.headers['if-match']);
      const { move } = await needMove(moves, params.id);
      if (!(await moves.repository.save(move.id, version, body.plan, moves.knex)))
        throw problem('move-changed');
      moves.events.send({ type: 'move', batchId: move.batchId });
      return viewOf(moves, params.id);
    },
  }),
  route({
    method: 'post',
    path: '/moves/:id/put-away',
    summary: 'Put a move away; what is on the boards stays as it is',
    params: IdSchema,
    problems: ['move-missing', 'move-running', 'batch-missing'],
    run: async ({ params }) => {
      const { move, batch } = await needMove(moves, params.id);
      await moves.knex.transaction(async (db) => {
        if ((await moves.repository.hold(move.id, db)) === null) throw problem('move-missing');
        const run = await moves.runs.repository.newestOf('move', batch.id);
        if (run && ['queued', 'running', 'held'].includes(run.state)) throw problem('move-running');
        await moves.repository.putAway(move.id, db);
        await moves.log.add([{ kind: 'move-ended', batchId: batch.id, text: 'The move was put away.' }], db);
      });
      moves.events.send({ type: 'move', batchId: batch.id });
    },
  }),
  route({
    method: 'post',
    path: '/moves/:id/start',
    summary:
      'Move proved boards, over SSH with the host keys that were made for them; or have those that moved forget the old network',
    params: IdSchema,
    body: StartMoveSchema,
    answer: MoveSchema,
    status: 201,
    problems: [
      ...onceProblems,
      'move-missing',
      'batch-missing',
      'device-missing',
      'way-missing',
      'not-a-proved-board',
      'move-changed',
      'move-not-ready',
      'move-running',
    ],
    run: ({ params, body, request, who }) => once(moves, request, () => start(moves, params.id, body, who)),
  }),
  route({
    method: 'post',
    path: '/moves/:id/stop',
    summary: 'Begin with no more boards; one that has switched over goes back by itself',
    params: IdSchema,
    problems: ['move-missing', 'batch-missing', 'move-ended'],
    run: async ({ params }) => {
      const { batch } = await needMove(moves, params.id);
      const run = await moves.runs.repository.newestOf('move', batch.id);
      if (!run || !(await moves.runs.ask(run.id, 'cancel'))) throw problem('move-ended');
    },
  }),
];
