import { randomUUID } from 'node:crypto';
import type * as z from 'zod';
import {
  BundleSchema,
  FieldViewSchema,
  NewVisitSchema,
  SaveFieldSchema,
  TickSchema,
  TripCheckIdSchema,
  TrySchema,
  type FieldView,
  type NewVisit,
} from '@nest-mark/core/api';
import { networkTitle } from '@nest-mark/core';
import { fieldFindings, roomOf } from '@nest-mark/core/in-field';
import { exported, send } from '../handover';
import { needBatch } from '../plans';
import { problem } from '../platform/http/problems';
import { refusedBy } from '../platform/http/refused-by';
import { IdSchema, route, type Route } from '../platform/http/route';
import { versionOf } from '../platform/http/version';
import { once, onceProblems } from '../platform/idempotency/once';
import { bundleOf } from './bundle';
import type { Field } from './domain';
import { tripOf } from './facts';
import type { TryOrder } from './order';
import { fieldView } from './view';

const viewOf = async (field: Field, batchId: string): Promise<FieldView> =>
  fieldView(field, await needBatch(field.plans, batchId));

/** Begins to look for boards over the field's network. @throws Problem */
async function begin(
  field: Field,
  batchId: string,
  { purpose, version }: z.infer<typeof TrySchema>,
  begunBy: string,
): Promise<FieldView> {
  const batch = await needBatch(field.plans, batchId);
  const { facts, version: now } = await tripOf(field, batch);
  if (now !== version) throw problem('field-changed');
  const { network, boards, plan } = facts;
  const [grave] = fieldFindings(facts).filter(({ stops }) => stops);
  if (grave || !network)
    throw problem('field-not-ready', { why: `${grave?.text ?? ''} ${grave?.todo ?? ''}`.trim() });
  const order: TryOrder = {
    tryId: randomUUID(),
    subnet: network.subnet,
    port: batch.plan.network.port,
    minutes: plan.minutes,
    room: roomOf(network),
  };
  const title = networkTitle(network);
  await field.knex
    .transaction(async (db) => {
      // Whoever changes the trip meanwhile waits, or was first.
      if ((await field.repository.plan(batchId, db, true)).version !== version)
        throw problem('field-changed');
      await field.repository.beginTry(
        {
          id: order.tryId,
          batchId,
          purpose,
          network: { id: network.id, version: network.version, title },
          begunBy,
          boards: boards.map(({ device }) => ({ deviceId: device.id, hostName: device.hostName })),
        },
        db,
      );
      await field.runs.begin(
        {
          id: randomUUID(),
          kind: 'rehearsal',
          batchId,
          begunBy,
          order,
          items: boards.map(({ device }) => ({ subject: device.id, deviceId: device.id, total: 1 })),
        },
        db,
      );
      await field.log.add(
        [
          {
            kind: 'rehearsal-started',
            batchId,
            text: `${purpose === 'site' ? 'Looking on site' : 'A rehearsal'} over “${title}” was begun.`,
          },
        ],
        db,
      );
    })
    .catch(refusedBy('run_rehearsal_once', () => problem('rehearsal-running')));
  field.events.send({ type: 'field', batchId });
  field.events.send({ type: 'log' });
  return viewOf(field, batchId);
}

/** Writes a visit down. @throws Problem */
async function visit(field: Field, batchId: string, given: NewVisit, who: string): Promise<FieldView> {
  const { plan } = await needBatch(field.plans, batchId);
  const device = plan.devices.find(({ id }) => id === given.deviceId);
  if (!device) throw problem('device-missing');
  const { deviceId, note, volts } = given;
  await field.knex.transaction(async (db) => {
    await field.repository.addVisit({ id: randomUUID(), batchId, deviceId, who, note, volts }, db);
    const measured = volts === null ? '' : ` Battery ${String(volts)} V.`;
    await field.log.add(
      [{ kind: 'visited', batchId, deviceId, text: `${device.hostName} was visited: ${note}${measured}` }],
      db,
    );
  });
  field.events.send({ type: 'field', batchId });
  field.events.send({ type: 'log' });
  return viewOf(field, batchId);
}

export const fieldRoutes = (field: Field): Route[] => [
  route({
    method: 'get',
    path: '/batches/:id/field',
    summary: 'A batch’s trip into the field: what is missing, rehearsals, lists, visits',
    params: IdSchema,
    answer: FieldViewSchema,
    problems: ['batch-missing'],
    run: ({ params }) => viewOf(field, params.id),
  }),
  route({
    method: 'put',
    path: '/batches/:id/field',
    summary: 'Save a trip; If-Match names the version that was read, 0 for none',
    params: IdSchema,
    body: SaveFieldSchema,
    answer: FieldViewSchema,
    problems: ['batch-missing', 'field-changed', 'version-missing'],
    run: async ({ params, body, request }) => {
      const version = versionOf(request.headers['if-match']);
      await needBatch(field.plans, params.id);
      if (!(await field.repository.save(params.id, version, body.plan))) throw problem('field-changed');
      field.events.send({ type: 'field', batchId: params.id });
      return viewOf(field, params.id);
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/rehearsals',
    summary: 'Look for the boards over the field’s network until all were proved: at home, or on site',
    params: IdSchema,
    body: TrySchema,
    answer: FieldViewSchema,
    status: 201,
    problems: [...onceProblems, 'batch-missing', 'field-changed', 'field-not-ready', 'rehearsal-running'],
    run: ({ params, body, request, who }) => once(field, request, () => begin(field, params.id, body, who)),
  }),
  route({
    method: 'post',
    path: '/rehearsals/:id/end',
    summary: 'End it now; whoever was not proved counts as missing',
    params: IdSchema,
    problems: ['rehearsal-missing', 'rehearsal-ended'],
    run: async ({ params }) => {
      const tried = await field.repository.findTry(params.id);
      if (!tried) throw problem('rehearsal-missing');
      if (tried.endedAt !== null) throw problem('rehearsal-ended');
      const run = await field.runs.repository.newestOf('rehearsal', tried.batchId);
      if (!run || !(await field.runs.ask(run.id, 'cancel'))) throw problem('rehearsal-ended');
    },
  }),
  route({
    method: 'put',
    path: '/batches/:id/field/ticks/:check',
    summary: 'Tick a line of the lists, or take its tick away',
    params: IdSchema.extend({ check: TripCheckIdSchema }),
    body: TickSchema,
    answer: FieldViewSchema,
    problems: ['batch-missing'],
    run: async ({ params, body }) => {
      await needBatch(field.plans, params.id);
      await field.repository.tick(params.id, params.check, body.ticked);
      field.events.send({ type: 'field', batchId: params.id });
      return viewOf(field, params.id);
    },
  }),
  route({
    method: 'delete',
    path: '/batches/:id/field/ticks',
    summary: 'Begin the lists anew',
    params: IdSchema,
    problems: ['batch-missing'],
    run: async ({ params }) => {
      await needBatch(field.plans, params.id);
      await field.repository.clearTicks(params.id);
      field.events.send({ type: 'field', batchId: params.id });
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/visits',
    summary: 'Write down a visit to a board',
    params: IdSchema,
    body: NewVisitSchema,
    answer: FieldViewSchema,
    status: 201,
    problems: [...onceProblems, 'batch-missing', 'device-missing'],
    run: ({ params, body, request, who }) => once(field, request, () => visit(field, params.id, body, who)),
  }),
  route({
    method: 'post',
    path: '/batches/:id/field/bundle',
    summary: 'Everything of a batch in one file, for where there is no internet; who took it is logged',
    params: IdSchema,
    body: BundleSchema,
    problems: ['batch-missing'],
    run: async ({ params, body, response, who }) => {
      const batch = await needBatch(field.plans, params.id);
      const { fileName, content, madeOf } = await bundleOf(field, batch, body.passphrase, who);
      await exported(field.handOver, params.id, fileName, who);
      await field.repository.noteBundle(params.id, madeOf);
      field.events.send({ type: 'field', batchId: params.id });
      send(response, { fileName, type: 'application/zip', content });
    },
  }),
];
