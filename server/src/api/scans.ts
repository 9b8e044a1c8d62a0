import { randomUUID } from 'node:crypto';
import { ScanSchema, StartScanSchema, subnetFault, subnetFaultTexts, subnetHosts } from '@nest-mark/core';
import { once } from '../http/idempotency';
import { Problem } from '../http/problems';
import { IdSchema, route, type Route } from '../http/route';
import { addJob } from '../jobs/queue';
import type { Context } from '../services/context';
import { needBatch } from '../services/plans';

async function startScan(
  context: Context,
  batchId: string,
  subnet: string,
  port: number,
): Promise<NonNullable<Awaited<ReturnType<Context['scans']['find']>>>> {
  await needBatch(context, batchId);
  const fault = subnetFault(subnet);
  if (fault) throw new Problem(422, `subnet-${fault}`, `Nothing was contacted. ${subnetFaultTexts[fault]}`);
  const id = randomUUID();
  await context.knex.transaction(async (db) => {
    const scan = { id, batchId, subnet, port, total: subnetHosts(subnet).length };
    // The database decides: of two that start at once one is refused.
    if (!(await context.scans.create(scan, context.station, db)))
      throw new Problem(409, 'scan-running', 'A search is under way already.');
    await context.log.add(
      [
        {
          kind: 'scan-started',
          batchId,
          text: `A search on ${subnet}, port ${String(port)}, was started.`,
        },
      ],
      db,
    );
    await addJob(db, context.station, 'scan', { scanId: id });
  });
  context.events.send({ type: 'log' });
  const scan = await context.scans.find(id);
  if (!scan) throw new Error('a scan that was just made is missing');
  return scan;
}

export const scanRoutes: Route[] = [
  route({
    method: 'post',
    path: '/batches/:id/scans',
    summary: 'Look for the boards on a subnet that the operator names',
    params: IdSchema,
    body: StartScanSchema,
    answer: ScanSchema,
    status: 201,
    run: ({ context, params, body, request }) =>
      once(context, request, () => startScan(context, params.id, body.subnet, body.port)),
  }),
  route({
    method: 'post',
    path: '/scans/:id/cancel',
    summary: 'Stop a search',
    params: IdSchema,
    run: async ({ context, params }) => {
      const stopper = context.stoppers.get(params.id);
      if (!stopper) throw new Problem(409, 'scan-ended', 'This search has ended already.');
      stopper.abort();
      return Promise.resolve();
    },
  }),
];
