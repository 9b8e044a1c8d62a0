import * as z from 'zod';
import { PassportSchema, RetiredDeviceSchema } from '@nest-mark/core';
import { needBatch } from '../plans';
import { problem } from '../platform/http/problems';
import { IdSchema, route, type Route } from '../platform/http/route';
import type { Passports } from './domain';

const DeviceSchema = z.object({ id: z.uuid(), deviceId: z.uuid() });

export const passportRoutes = ({ plans, rounds, finding }: Passports): Route[] => [
  route({
    method: 'get',
    path: '/batches/:id/retired',
    summary: 'Devices that have left the plan; their marks, cards and keys stay on record',
    params: IdSchema,
    answer: z.array(RetiredDeviceSchema),
    problems: ['batch-missing'],
    run: async ({ params }) => {
      await needBatch(plans, params.id);
      return plans.repository.retired(params.id);
    },
  }),
  route({
    method: 'get',
    path: '/batches/:id/devices/:deviceId/passport',
    summary: 'Everything that is on record about one device: its key, its cards, where it was seen',
    params: DeviceSchema,
    answer: PassportSchema,
    problems: ['batch-missing', 'device-missing'],
    run: async ({ params: { id: batchId, deviceId } }) => {
      await needBatch(plans, batchId);
      const record = await plans.repository.recordOf(batchId, deviceId);
      if (!record) throw problem('device-missing');
      const { hostKey, fingerprint, retired } = record;
      const [cards, sightings] = await Promise.all([
        rounds.repository.cardsOf(deviceId),
        hostKey === null ? [] : finding.repository.ofKey(batchId, hostKey),
      ]);
      return { batchId, deviceId, hostKey, fingerprint, retired, cards, sightings };
    },
  }),
];
