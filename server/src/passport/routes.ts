import * as z from 'zod';
import { PassportSchema, RetiredDeviceSchema } from '@nest-mark/core';
import { shippedSteps, stepOf } from '@nest-mark/core/bring-up';
import { needBatch } from '../plans';
import { problem } from '../platform/http/problems';
import { IdSchema, route, type Route } from '../platform/http/route';
import type { Passports } from './domain';

const DeviceSchema = z.object({ id: z.uuid(), deviceId: z.uuid() });

export const passportRoutes = ({ plans, rounds, finding, bringUps, terminals }: Passports): Route[] => [
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
    summary:
      'Everything that is on record about one device: its key, its cards, where it was seen, how it was brought up',
    params: DeviceSchema,
    answer: PassportSchema,
    problems: ['batch-missing', 'device-missing'],
    run: async ({ params: { id: batchId, deviceId } }) => {
      const { plan } = await needBatch(plans, batchId);
      const record = await plans.repository.recordOf(batchId, deviceId);
      if (!record) throw problem('device-missing');
      const { hostKey, fingerprint, retired } = record;
      const [cards, sightings, times, kept] = await Promise.all([
        rounds.repository.cardsOf(deviceId),
        hostKey === null ? [] : finding.repository.ofKey(batchId, hostKey),
        bringUps.repository.ofDevice(deviceId),
        terminals.repository.ofDevice(deviceId),
      ]);
      const titles = new Map(
        [...shippedSteps, ...plan.bringUp.own.map(stepOf)].map(({ id, title }) => [id, title]),
      );
      const broughtUp = times.map(({ at, state, message, steps }) => ({
        at,
        state,
        message,
        // Of a step that left the plan since its id is all that is left.
        steps: steps.map((step) => ({ ...step, title: titles.get(step.stepId) ?? step.stepId })),
      }));
      return {
        batchId,
        deviceId,
        hostKey,
        fingerprint,
        retired,
        cards,
        sightings,
        broughtUp,
        terminals: kept,
      };
    },
  }),
];
