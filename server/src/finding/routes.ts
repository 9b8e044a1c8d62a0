import { randomUUID } from 'node:crypto';
import type * as z from 'zod';
import {
  BatchProgressSchema,
  DeviceIdsSchema,
  SearchSchema,
  StartSearchSchema,
  subnetFault,
  subnetFaultTexts,
  subnetHosts,
  type Search,
} from '@nest-mark/core';
import { withLook } from './cases';
import { stamp } from './stamps';
import { batchProgress } from './progress';
import { once, onceProblems } from '../platform/idempotency/once';
import { problem } from '../platform/http/problems';
import { refusedBy } from '../platform/http/refused-by';
import { IdSchema, route, type Route } from '../platform/http/route';
import type { Finding } from './domain';
import { needBatch } from '../plans';

/** Starts a search, one at a time for each batch. @throws Problem */
async function startSearch(
  finding: Finding,
  batchId: string,
  { subnet, port }: z.infer<typeof StartSearchSchema>,
  begunBy: string,
): Promise<Search> {
  await needBatch(finding.plans, batchId);
  const fault = subnetFault(subnet);
  if (fault) throw problem(`subnet-${fault}`, { why: subnetFaultTexts[fault] });
  const id = randomUUID();
  await finding.knex
    .transaction(async (db) => {
      const items = [{ subject: subnet, total: subnetHosts(subnet).length }];
      await finding.runs.begin({ id, kind: 'search', batchId, begunBy, items }, db);
      await finding.repository.create({ id, batchId, subnet, port }, db);
      await finding.log.add(
        [
          {
            kind: 'search-started',
            batchId,
            text: `A search on ${subnet}, port ${String(port)}, was started.`,
          },
        ],
        db,
      );
    })
    .catch(refusedBy('run_search_once', () => problem('search-running')));
  finding.events.send({ type: 'log' });
  const search = await finding.repository.find(id);
  if (!search) throw new Error('a search that was just made is missing');
  return search;
}

export const searchRoutes = (finding: Finding): Route[] => [
  route({
    method: 'post',
    path: '/batches/:id/searches',
    summary: 'Look for the boards on a subnet that the operator names',
    params: IdSchema,
    body: StartSearchSchema,
    answer: SearchSchema,
    status: 201,
    problems: [
      ...onceProblems,
      'batch-missing',
      'subnet-empty',
      'subnet-form',
      'subnet-wide',
      'subnet-public',
      'search-running',
    ],
    run: ({ params, body, request, who }) =>
      once(finding, request, () => startSearch(finding, params.id, body, who)),
  }),
  route({
    method: 'post',
    path: '/searches/:id/cancel',
    summary: 'Stop a search',
    params: IdSchema,
    problems: ['search-ended'],
    run: async ({ params }) => {
      // Of searches only: another kind of run has its own way to be stopped.
      const search = await finding.repository.find(params.id);
      if (!search || !(await finding.runs.ask(params.id, 'cancel'))) throw problem('search-ended');
    },
  }),
  route({
    method: 'get',
    path: '/batches/:id/progress',
    summary: 'How far each device is',
    params: IdSchema,
    answer: BatchProgressSchema,
    problems: ['batch-missing'],
    run: async ({ params }) => {
      await needBatch(finding.plans, params.id);
      return withLook(finding, await batchProgress(finding, params.id));
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/powered',
    summary: 'Note that devices were powered now',
    params: IdSchema,
    body: DeviceIdsSchema,
    problems: ['batch-missing'],
    run: ({ params, body }) => stamp(finding, params.id, body.deviceIds, 'powered_at', 'powered'),
  }),
  route({
    method: 'post',
    path: '/batches/:id/carrier-done',
    summary: 'Note that the jumpers and switches of carriers are back',
    params: IdSchema,
    body: DeviceIdsSchema,
    problems: ['batch-missing'],
    run: ({ params, body }) =>
      stamp(finding, params.id, body.deviceIds, 'carrier_done_at', 'made ready to start (jumper out)'),
  }),
];
