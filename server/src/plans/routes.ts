import * as z from 'zod';
import {
  BatchSchema,
  BatchSummarySchema,
  ExportPlanSchema,
  ImportedPlanSchema,
  ImportPlanSchema,
  planFileJsonSchema,
  PlanFileSchema,
  SavePlanSchema,
  MadeKeySchema,
  MakeKeySchema,
  SecretKindSchema,
  type ProblemCode,
} from '@nest-mark/core';
import { problem } from '../platform/http/problems';
import { IdSchema, route, type Route } from '../platform/http/route';
import { versionOf } from '../platform/http/version';
import { record } from '../platform/log/record';
import type { Plans } from './domain';
import { exportPlan, importPlan } from './plan-files';
import { devicePassword } from './identities';
import { makeKey } from './make-key';
import { batchView, createBatch, needBatch, saveBatch } from './plans';

/** What saving a plan may be answered. */
const savingProblems = [
  'device-twice',
  'device-elsewhere',
  'mark-taken',
] as const satisfies readonly ProblemCode[];

export const batchRoutes = (plans: Plans): Route[] => [
  route({
    method: 'get',
    path: '/batches',
    summary: 'All batches',
    answer: z.array(BatchSummarySchema),
    run: () => plans.repository.list(),
  }),
  route({
    method: 'post',
    path: '/batches',
    summary: 'Make a batch',
    body: SavePlanSchema,
    answer: BatchSchema,
    status: 201,
    problems: savingProblems,
    run: async ({ body, response }) => {
      const batch = await createBatch(plans, body);
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
    problems: ['batch-missing'],
    run: async ({ params, response }) => {
      const batch = await needBatch(plans, params.id);
      response.set('ETag', `"${String(batch.version)}"`);
      return batchView(plans, batch);
    },
  }),
  route({
    method: 'put',
    path: '/batches/:id',
    summary: 'Save a plan; If-Match names the version that was read',
    params: IdSchema,
    body: SavePlanSchema,
    answer: BatchSchema,
    problems: ['batch-missing', 'version-missing', 'plan-changed', ...savingProblems],
    run: async ({ params, body, request, response }) => {
      const batch = await saveBatch(plans, params.id, versionOf(request.headers['if-match']), body);
      response.set('ETag', `"${String(batch.version)}"`);
      return batch;
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/reveal',
    summary: 'Show one secret; this is logged',
    params: IdSchema,
    body: z.object({ kind: SecretKindSchema, deviceId: z.uuid().optional() }),
    answer: z.object({ value: z.string().nullable() }),
    problems: ['batch-missing', 'device-missing'],
    run: async ({ params, body, who }) => {
      const { plan } = await needBatch(plans, params.id);
      const device = plan.devices.find(({ id }) => id === body.deviceId);
      if (body.deviceId !== undefined && !device) throw problem('device-missing');
      const value = device
        ? await devicePassword(plans, device.id)
        : await plans.vault.get(params.id, body.kind);
      await record(plans, {
        kind: 'revealed',
        batchId: params.id,
        ...(device ? { deviceId: device.id } : {}),
        text: `The password of ${device ? device.hostName : 'the batch'} was shown on the screen; asked for by ${who}.`,
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
    problems: ['batch-missing'],
    run: ({ params, body }) => exportPlan(plans, params.id, body.passphrase),
  }),
  route({
    method: 'post',
    path: '/plan-files',
    summary: 'Take a plan over from a file as a new batch',
    body: ImportPlanSchema,
    answer: ImportedPlanSchema,
    status: 201,
    problems: ['plan-file', 'plan-passphrase', ...savingProblems],
    run: ({ body }) => importPlan(plans, body.file, body.passphrase),
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
    path: '/keys',
    summary: 'Make an SSH key pair; the private half is told once and kept nowhere',
    body: MakeKeySchema,
    answer: MadeKeySchema,
    run: async ({ body }) => {
      const made = await makeKey(body.type, body.comment, body.passphrase);
      await record(plans, {
        kind: 'key-made',
        text: `A key pair was made, ${made.fingerprint}. Its private half was handed out and not kept.`,
      });
      return made;
    },
  }),
];
