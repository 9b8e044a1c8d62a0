import { randomUUID } from 'node:crypto';
import * as z from 'zod';
import {
  BoardOutputSchema,
  BoardTimeListSchema,
  BringUpSchema,
  mayBeBroughtUp,
  SkipStepSchema,
  StartBringUpSchema,
  type BringUp,
} from '@nest-mark/core';
import { stepsOf } from '@nest-mark/core/bring-up';
import { batchProgress } from '../finding';
import { probeTcp } from '@nest-mark/station';
import { needBatch } from '../plans';
import { once, onceProblems } from '../platform/idempotency/once';
import { problem } from '../platform/http/problems';
import { refusedBy } from '../platform/http/refused-by';
import { IdSchema, route, type Route } from '../platform/http/route';
import type { BringUps } from './domain';
import type { BringUpOrder } from './order';
import { bringUpView } from './view';
import { waysOf } from './ways';

/** Begins to bring boards up. @throws Problem */
async function start(
  bringUps: BringUps,
  batchId: string,
  { deviceIds, way }: z.infer<typeof StartBringUpSchema>,
  begunBy: string,
): Promise<BringUp> {
  const batch = await needBatch(bringUps.plans, batchId);
  const { plan } = batch;
  const lacks = waysOf(bringUps, batch).find((one) => one.way === way)?.lacks ?? '';
  if (lacks !== '') throw problem('way-missing', { why: lacks });
  if (stepsOf(plan.bringUp).length === 0) throw problem('no-steps');
  const { packagePort } = plan.bringUp;
  if (packagePort !== null && (await probeTcp('127.0.0.1', packagePort, 2000)).answer !== 'open')
    throw problem('packages-away', { port: String(packagePort) });
  const { devices } = await batchProgress(bringUps.finding, batchId);
  const known = new Map(devices.map((device) => [device.deviceId, device]));
  const wanted = [...new Set(deviceIds)];
  if (wanted.some((id) => !known.has(id))) throw problem('device-missing');
  const fit = wanted.filter((id) => {
    const device = known.get(id);
    // One that was ready is looked at once more where a person asks for it.
    return (
      device &&
      mayBeBroughtUp({
        stopped: false,
        firstBootSeconds: 0,
        card: device.card,
        poweredAt: device.poweredAt,
        seen: device.seen,
        handedOverAt: device.handedOverAt,
        bringUp: device.bringUp?.state === 'ready' ? null : device.bringUp,
      })
    );
  });
  // The bench has locked itself out there, as it should: trying would only turn a board that is ready into one that is not.
  const lockedOut = (id: string): boolean => way === 'bench-key' && known.get(id)?.bringUp?.keyOff === true;
  const within = fit.filter((id) => !lockedOut(id));
  if (fit.length === 0) throw problem('not-proved');
  if (within.length === 0) throw problem('key-off');
  const order: BringUpOrder = { way, plan: plan.bringUp };
  const id = randomUUID();
  await bringUps.knex
    .transaction(async (db) => {
      await bringUps.runs.begin(
        {
          id,
          kind: 'bring-up',
          batchId,
          begunBy,
          order,
          items: within.map((deviceId) => ({
            subject: deviceId,
            deviceId,
            total: stepsOf(plan.bringUp).length,
          })),
        },
        db,
      );
      await bringUps.log.add(
        [
          {
            kind: 'bring-up-started',
            batchId,
            text: `Bringing up ${String(within.length)} ${within.length === 1 ? 'board' : 'boards'} was begun.`,
          },
        ],
        db,
      );
    })
    .catch(refusedBy('run_item_board_once', () => problem('bring-up-running')));
  bringUps.events.send({ type: 'log' });
  bringUps.events.send({ type: 'progress', batchId });
  return bringUpView(bringUps, batch);
}

/** Leaves a step out on a device, or takes that back. @throws Problem */
async function skip(
  bringUps: BringUps,
  batchId: string,
  deviceId: string,
  { stepId, reason }: z.infer<typeof SkipStepSchema>,
  who: string,
): Promise<void> {
  const { plan } = await needBatch(bringUps.plans, batchId);
  const device = plan.devices.find(({ id }) => id === deviceId);
  if (!device) throw problem('device-missing');
  const step = stepsOf(plan.bringUp).find(({ id }) => id === stepId);
  if (!step) throw problem('step-missing');
  await bringUps.knex.transaction(async (db) => {
    await bringUps.repository.skip(deviceId, stepId, reason, who, db);
    await bringUps.log.add(
      [
        {
          kind: 'step-skipped',
          batchId,
          deviceId,
          text:
            reason === ''
              ? `"${step.title}" is no longer left out on ${device.hostName}; noted by ${who}.`
              : `"${step.title}" is left out on ${device.hostName}: ${reason}; noted by ${who}.`,
        },
      ],
      db,
    );
  });
  bringUps.events.send({ type: 'log' });
  bringUps.events.send({ type: 'bring-up', batchId });
}

const BoardSchema = z.object({ id: z.uuid(), deviceId: z.uuid() });

export const bringUpRoutes = (bringUps: BringUps): Route[] => [
  route({
    method: 'get',
    path: '/board-times',
    summary: 'How long boards took to be brought up here, by kind; for forecasts',
    answer: BoardTimeListSchema,
    run: () => bringUps.repository.times(false),
  }),
  route({
    method: 'get',
    path: '/batches/:id/bring-up',
    summary: 'How bringing up the boards of a batch stands',
    params: IdSchema,
    answer: BringUpSchema,
    problems: ['batch-missing'],
    run: async ({ params }) => bringUpView(bringUps, await needBatch(bringUps.plans, params.id)),
  }),
  route({
    method: 'post',
    path: '/batches/:id/bring-up',
    summary: 'Bring proved boards up, over SSH with the host keys that were made for them',
    params: IdSchema,
    body: StartBringUpSchema,
    answer: BringUpSchema,
    status: 201,
    problems: [
      ...onceProblems,
      'batch-missing',
      'device-missing',
      'way-missing',
      'no-steps',
      'packages-away',
      'not-proved',
      'key-off',
      'bring-up-running',
    ],
    run: ({ params, body, request, who }) =>
      once(bringUps, request, () => start(bringUps, params.id, body, who)),
  }),
  route({
    method: 'post',
    path: '/batches/:id/bring-up/stop',
    summary: 'Stop bringing boards up; what a board does by itself goes on there',
    params: IdSchema,
    problems: ['batch-missing', 'bring-up-ended'],
    run: async ({ params }) => {
      await needBatch(bringUps.plans, params.id);
      const running = await bringUps.repository.underWay(params.id);
      const heard = await Promise.all(running.map(({ id }) => bringUps.runs.ask(id, 'cancel')));
      if (!heard.includes(true)) throw problem('bring-up-ended');
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/bring-up/:deviceId/skips',
    summary: 'Leave a step out on a device, with a reason; without one, take that back',
    params: BoardSchema,
    body: SkipStepSchema,
    problems: ['batch-missing', 'device-missing', 'step-missing'],
    run: ({ params, body, who }) => skip(bringUps, params.id, params.deviceId, body, who),
  }),
  route({
    method: 'get',
    path: '/batches/:id/bring-up/:deviceId/output',
    summary: 'What a board printed while it was brought up, secrets struck out',
    params: BoardSchema,
    query: z.object({ from: z.coerce.number().int().min(0).default(0) }),
    answer: BoardOutputSchema,
    problems: ['batch-missing'],
    run: async ({ params, query }) => {
      await needBatch(bringUps.plans, params.id);
      return bringUps.live.output(params.deviceId, query.from);
    },
  }),
];
