import { randomUUID } from 'node:crypto';
import { ExposureSchema, isSure, StartExposureSchema } from '@nest-mark/core';
import { waysOf } from '../bringup';
import { batchProgress } from '../finding';
import { needBatch } from '../plans';
import { problem } from '../platform/http/problems';
import { refusedBy } from '../platform/http/refused-by';
import { IdSchema, route, type Route } from '../platform/http/route';
import type { Exposures } from './domain';
import { exposureView } from './view';

export const exposureRoutes = (exposures: Exposures): Route[] => [
  route({
    method: 'get',
    path: '/batches/:id/exposure',
    summary: 'What was found open on the boards of a batch',
    params: IdSchema,
    answer: ExposureSchema,
    problems: ['batch-missing'],
    run: ({ params }) => exposureView(exposures, params.id),
  }),
  route({
    method: 'post',
    path: '/batches/:id/exposure',
    summary: 'Look what is open on proved boards of a batch; nobody else is asked anything',
    params: IdSchema,
    body: StartExposureSchema,
    answer: ExposureSchema,
    status: 201,
    problems: ['batch-missing', 'device-missing', 'not-a-proved-board', 'way-missing', 'exposure-running'],
    run: async ({ params, body, who }) => {
      const batch = await needBatch(exposures.plans, params.id);
      const lacks = waysOf(exposures.bringUps, batch).find(({ way }) => way === body.way)?.lacks ?? '';
      if (lacks !== '') throw problem('way-missing', { why: lacks });
      const wanted = [...new Set(body.deviceIds)];
      const { devices } = await batchProgress(exposures.finding, params.id);
      const known = new Map(devices.map((device) => [device.deviceId, device]));
      if (wanted.some((id) => !known.has(id))) throw problem('device-missing');
      const names = new Map(batch.plan.devices.map((device) => [device.id, device.hostName]));
      const stranger = wanted.find((id) => !isSure(known.get(id)?.seen ?? null));
      if (stranger !== undefined)
        throw problem('not-a-proved-board', { name: names.get(stranger) ?? stranger });
      await exposures.knex
        .transaction(async (db) => {
          await exposures.runs.begin(
            {
              id: randomUUID(),
              kind: 'exposure',
              batchId: params.id,
              begunBy: who,
              order: { way: body.way },
              items: wanted.map((deviceId) => ({ subject: deviceId, deviceId, total: 1 })),
            },
            db,
          );
        })
        .catch(refusedBy('run_exposure_once', () => problem('exposure-running')));
      exposures.events.send({ type: 'progress', batchId: params.id });
      return exposureView(exposures, params.id);
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/exposure/stop',
    summary: 'Stop looking',
    params: IdSchema,
    problems: ['batch-missing', 'exposure-ended'],
    run: async ({ params }) => {
      await needBatch(exposures.plans, params.id);
      const run = await exposures.runs.repository.newestOf('exposure', params.id);
      if (!run || !(await exposures.runs.ask(run.id, 'cancel'))) throw problem('exposure-ended');
    },
  }),
];
