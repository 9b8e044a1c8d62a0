import * as z from 'zod';
import { batchRecord, compareBatches, documentHtml, fileSlug, InstallationKeySchema } from '@nest-mark/core';
import { problem } from '../../platform/http/problems';
import { IdSchema, route, type Route } from '../../platform/http/route';
import type { HandOver } from '../domain';
import { send } from '../handed-file';
import { exported } from '../taken-over';
import { recordArchive } from './archive';
import { recordFacts } from './facts';
import { installationKey } from './installation-key';

export const recordRoutes = (handover: HandOver): Route[] => [
  route({
    method: 'get',
    path: '/batches/:id/record',
    summary:
      'The record of a batch, or of one device of it: a page, the same for paper, and their signatures',
    params: IdSchema,
    query: z.object({ deviceId: z.uuid().optional() }),
    problems: ['batch-missing', 'device-missing'],
    run: async ({ params, query, response, who }) => {
      const facts = await recordFacts(handover, params.id, who);
      const device = facts.plan.devices.find(({ id }) => id === query.deviceId);
      if (query.deviceId !== undefined && !device) throw problem('device-missing');
      const content = await recordArchive(handover, batchRecord(facts, device?.id ?? null));
      const fileName = `record.${fileSlug(facts.plan.name)}${device ? `.${fileSlug(device.hostName)}` : ''}.zip`;
      await exported(handover, params.id, fileName, who);
      send(response, { fileName, type: 'application/zip', content });
    },
  }),
  route({
    method: 'get',
    path: '/batches/:id/compared/:otherId',
    summary: 'Two batches side by side, as a page',
    params: IdSchema.extend({ otherId: z.uuid() }),
    problems: ['batch-missing'],
    run: async ({ params, response, who }) => {
      const [one, other] = await Promise.all(
        [params.id, params.otherId].map((id) => recordFacts(handover, id, who)),
      );
      if (!one || !other) throw problem('batch-missing');
      const fileName = `${fileSlug(one.plan.name)}-and-${fileSlug(other.plan.name)}.html`;
      send(response, { fileName, type: 'text/html', content: documentHtml(compareBatches(one, other)) });
    },
  }),
  route({
    method: 'get',
    path: '/installation-key',
    summary: 'The public half of the key by which this installation signs its records',
    answer: InstallationKeySchema,
    run: () => installationKey(handover),
  }),
];
