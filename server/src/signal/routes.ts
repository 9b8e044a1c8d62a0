import { listed, shownLevel } from '@nest-mark/core';
import {
  ForgetPlaceSchema,
  ListenAtSchema,
  SignalViewSchema,
  type ListenAt,
  type SignalView,
} from '@nest-mark/core/api';
import { needBatch } from '../plans';
import { problem } from '../platform/http/problems';
import { refusedBy } from '../platform/http/refused-by';
import { IdSchema, route, type Route } from '../platform/http/route';
import { once, onceProblems } from '../platform/idempotency/once';
import type { Signals } from './domain';
import { byAdapter, byBoard, plannedNetworks } from './listen';

async function viewOf(signals: Signals, batchId: string): Promise<SignalView> {
  await needBatch(signals.plans, batchId);
  return { batchId, readings: await signals.repository.list(batchId) };
}

function tell(signals: Signals, batchId: string): void {
  signals.events.send({ type: 'signal', batchId });
  signals.events.send({ type: 'log' });
}

/** Listens at a place, and writes down what is heard. @throws Problem */
async function listenAt(signals: Signals, batchId: string, at: ListenAt, who: string): Promise<SignalView> {
  const batch = await needBatch(signals.plans, batchId);
  const networks = await plannedNetworks(signals, batch);
  if (networks.length === 0)
    throw problem('nothing-to-hear', {
      why: 'The plan has no Wi-Fi network. Choose one under Plan, Networks.',
    });
  const { heard, name, deviceId } =
    at.sensor === 'adapter'
      ? { heard: await byAdapter(signals, networks, at.adapter), name: at.adapter, deviceId: undefined }
      : await byBoard(signals, batch, networks, at.deviceId, at.way).then(({ heard, hostName }) => ({
          heard,
          name: hostName,
          deviceId: at.deviceId,
        }));
  await signals.knex
    .transaction(async (db) => {
      const where = { place: at.place, sensor: at.sensor, sensorName: name, by: who };
      await signals.repository.add(batchId, where, heard, db);
      const levels = heard.map(
        ({ network, band, dbm, about }) => `“${network}” ${shownLevel(dbm, about)} on ${band}`,
      );
      await signals.log.add(
        [
          {
            kind: 'signal',
            batchId,
            deviceId,
            text: `Signal at “${at.place}”, by ${name}: ${listed(levels)}.`,
          },
        ],
        db,
      );
    })
    // It was put away while somebody listened.
    .catch(refusedBy('signal_reading_batch_id_fkey', () => problem('batch-missing')));
  tell(signals, batchId);
  return viewOf(signals, batchId);
}

/** Forgets what was read at a place. @throws Problem */
async function forget(signals: Signals, batchId: string, place: string): Promise<SignalView> {
  await needBatch(signals.plans, batchId);
  await signals.knex.transaction(async (db) => {
    if ((await signals.repository.forget(batchId, place, db)) === 0) throw problem('walked-place-missing');
    const text = `What was read at “${place}” was taken off the list.`;
    await signals.log.add([{ kind: 'signal', batchId, text }], db);
  });
  tell(signals, batchId);
  return viewOf(signals, batchId);
}

export const signalRoutes = (signals: Signals): Route[] => [
  route({
    method: 'get',
    path: '/batches/:id/signal',
    summary: 'How strongly the networks of a plan are heard at places',
    params: IdSchema,
    answer: SignalViewSchema,
    problems: ['batch-missing'],
    run: ({ params }) => viewOf(signals, params.id),
  }),
  route({
    method: 'post',
    path: '/batches/:id/signal',
    summary: 'Listen at a place with an adapter of this computer, or with a proved board that is there',
    params: IdSchema,
    body: ListenAtSchema,
    answer: SignalViewSchema,
    problems: [
      ...onceProblems,
      'batch-missing',
      'nothing-to-hear',
      'adapter-missing',
      'adapter-busy',
      'air-closed',
      'device-missing',
      'way-missing',
      'board-not-proved',
      'board-refuses',
      'board-tells-nothing',
    ],
    run: ({ params, body, request, who }) =>
      once(signals, request, () => listenAt(signals, params.id, body, who)),
  }),
  route({
    method: 'post',
    path: '/batches/:id/signal/forget',
    summary: 'Take a place off the list, with all that was read there',
    params: IdSchema,
    body: ForgetPlaceSchema,
    answer: SignalViewSchema,
    problems: ['batch-missing', 'walked-place-missing'],
    run: ({ params, body }) => forget(signals, params.id, body.place),
  }),
];
