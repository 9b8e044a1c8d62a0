import * as z from 'zod';
import {
  BatchProgressSchema,
  BatchSchema,
  BatchSummarySchema,
  DeviceIdsSchema,
  ExportPlanSchema,
  ImportedPlanSchema,
  ImportPlanSchema,
  planFileJsonSchema,
  PlanFileSchema,
  SavePlanSchema,
  SecretKindSchema,
} from '@nest-mark/core';
import { Problem } from '../http/problems';
import { IdSchema, route, type Route } from '../http/route';
import { versionOf } from '../http/version';
import { record, type Context } from '../services/context';
import { exportPlan, importPlan } from '../services/plan-files';
import { devicePassword } from '../services/identities';
import { batchView, createBatch, needBatch, saveBatch } from '../services/plans';
import { batchProgress } from '../services/progress';

/** A device whose card was copied is two boards; nobody can say which of them is handed over. @throws Problem */
async function refuseCopied(context: Context, batchId: string, deviceIds: readonly string[]): Promise<void> {
  const { plan } = await needBatch(context, batchId);
  const names = new Map(plan.devices.map((device) => [device.id, device.hostName]));
  const { devices } = await batchProgress(context, batchId);
  const copied = devices.filter(
    ({ deviceId, seen }) => deviceIds.includes(deviceId) && (seen?.alsoAt.length ?? 0) > 0,
  );
  if (copied.length > 0)
    throw new Problem(
      409,
      'card-copied',
      `Nothing was handed over. ${copied
        .map(
          ({ deviceId, seen }) =>
            `${names.get(deviceId) ?? deviceId} signs at ${[seen?.address, ...(seen?.alsoAt ?? [])].join(' and ')}: its card was copied`,
        )
        .join('; ')}. Switch the copy off, write its card anew, and search again.`,
    );
}

async function stamp(
  context: Context,
  batchId: string,
  deviceIds: string[],
  column: 'powered_at' | 'handed_over_at' | 'carrier_done_at',
  verb: string,
): Promise<void> {
  const { plan } = await needBatch(context, batchId);
  if (column === 'handed_over_at') await refuseCopied(context, batchId, deviceIds);
  const done = await context.batches.stamp(batchId, deviceIds, column);
  const names = new Map(plan.devices.map((device) => [device.id, device.hostName]));
  await record(
    context,
    ...done.map((deviceId) => ({
      kind: column.replace('_at', ''),
      batchId,
      deviceId,
      text: `${names.get(deviceId) ?? deviceId} was ${verb}.`,
    })),
  );
  context.events.send({ type: 'progress', batchId });
}

export const batchRoutes: Route[] = [
  route({
    method: 'get',
    path: '/batches',
    summary: 'All batches',
    answer: z.array(BatchSummarySchema),
    run: ({ context }) => context.batches.list(),
  }),
  route({
    method: 'post',
    path: '/batches',
    summary: 'Make a batch',
    body: SavePlanSchema,
    answer: BatchSchema,
    status: 201,
    run: async ({ context, body, response }) => {
      const batch = await createBatch(context, body);
      response.set('ETag', `"${String(batch.version)}"`);
      return batch;
    },
  }),
  route({
    method: 'get',
    path: '/batches/:id',
    summary: 'A batch with its plan and findings',
    params: IdSchema,
    answer: BatchSchema,
    run: async ({ context, params, response }) => {
      const batch = await needBatch(context, params.id);
      response.set('ETag', `"${String(batch.version)}"`);
      return batchView(context, batch);
    },
  }),
  route({
    method: 'put',
    path: '/batches/:id',
    summary: 'Save a plan; If-Match names the version that was read',
    params: IdSchema,
    body: SavePlanSchema,
    answer: BatchSchema,
    run: async ({ context, params, body, request, response }) => {
      const batch = await saveBatch(context, params.id, versionOf(request.headers['if-match']), body);
      response.set('ETag', `"${String(batch.version)}"`);
      return batch;
    },
  }),
  route({
    method: 'get',
    path: '/batches/:id/progress',
    summary: 'How far each device is',
    params: IdSchema,
    answer: BatchProgressSchema,
    run: async ({ context, params }) => {
      await needBatch(context, params.id);
      return batchProgress(context, params.id);
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/reveal',
    summary: 'Show one secret; this is logged',
    params: IdSchema,
    body: z.object({ kind: SecretKindSchema, deviceId: z.uuid().optional() }),
    answer: z.object({ value: z.string().nullable() }),
    run: async ({ context, params, body }) => {
      const { plan } = await needBatch(context, params.id);
      const device = plan.devices.find(({ id }) => id === body.deviceId);
      if (body.deviceId !== undefined && !device)
        throw new Problem(404, 'device-missing', 'There is no such device in this batch.');
      const value = device
        ? await devicePassword(context, device.id)
        : await context.vault.get(params.id, body.kind);
      await record(context, {
        kind: 'revealed',
        batchId: params.id,
        ...(device ? { deviceId: device.id } : {}),
        text: `The password of ${device ? device.hostName : 'the batch'} was shown on the screen.`,
      });
      return { value };
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/plan-file',
    summary: 'The plan as a file; with a passphrase its secrets go along encrypted, which is logged',
    params: IdSchema,
    body: ExportPlanSchema,
    answer: PlanFileSchema,
    run: ({ context, params, body }) => exportPlan(context, params.id, body.passphrase),
  }),
  route({
    method: 'post',
    path: '/plan-files',
    summary: 'Take a plan over from a file as a new batch',
    body: ImportPlanSchema,
    answer: ImportedPlanSchema,
    status: 201,
    run: ({ context, body }) => importPlan(context, body.file, body.passphrase),
  }),
  route({
    method: 'get',
    path: '/plan-file.schema.json',
    summary: 'JSON Schema of a plan file',
    run: ({ response }) => {
      response.type('application/schema+json').send(JSON.stringify(planFileJsonSchema()));
      return Promise.resolve();
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/powered',
    summary: 'Note that devices were powered now',
    params: IdSchema,
    body: DeviceIdsSchema,
    run: ({ context, params, body }) => stamp(context, params.id, body.deviceIds, 'powered_at', 'powered'),
  }),
  route({
    method: 'post',
    path: '/batches/:id/carrier-done',
    summary: 'Note that the jumpers and switches of carriers are back',
    params: IdSchema,
    body: DeviceIdsSchema,
    run: ({ context, params, body }) =>
      stamp(context, params.id, body.deviceIds, 'carrier_done_at', 'made ready to start (jumper out)'),
  }),
  route({
    method: 'post',
    path: '/batches/:id/handed-over',
    summary: 'Note that devices were handed over now',
    params: IdSchema,
    body: DeviceIdsSchema,
    run: ({ context, params, body }) =>
      stamp(context, params.id, body.deviceIds, 'handed_over_at', 'handed over'),
  }),
];
