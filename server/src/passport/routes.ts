import * as z from 'zod';
import { FoundSchema, PassportSchema, RetiredDeviceSchema } from '@nest-mark/core';
import { needBatch } from '../plans';
import { IdSchema, route, type Route } from '../platform/http/route';
import type { Passports } from './domain';
import { passportOf } from './passport';

const DeviceSchema = z.object({ id: z.uuid(), deviceId: z.uuid() });

export const passportRoutes = (passports: Passports): Route[] => [
  route({
    method: 'get',
    path: '/found',
    summary:
      'What has this mark, name, hardware address, card, host key or image, among all batches there ever were',
    query: z.object({ text: z.string().trim().min(1).max(200) }),
    answer: z.array(FoundSchema),
    run: ({ query }) => passports.repository.find(query.text),
  }),
  route({
    method: 'get',
    path: '/batches/:id/retired',
    summary: 'Devices that have left the plan; their marks, cards and keys stay on record',
    params: IdSchema,
    answer: z.array(RetiredDeviceSchema),
    problems: ['batch-missing'],
    run: async ({ params }) => {
      await needBatch(passports.plans, params.id);
      return passports.plans.repository.retired(params.id);
    },
  }),
  route({
    method: 'get',
    path: '/batches/:id/devices/:deviceId/passport',
    summary:
      'Everything that is on record about one device: its key, its cards, where it was seen, how it was brought up',
    params: DeviceSchema,
    answer: PassportSchema,
    problems: ['batch-missing', 'device-missing'],
    run: async ({ params: { id, deviceId } }) =>
      passportOf(passports, await needBatch(passports.plans, id), deviceId),
  }),
];
