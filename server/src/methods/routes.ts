import * as z from 'zod';
import { faultWords, ownFaults, SaveMethodSchema, ShelvedMethodSchema } from '@nest-mark/core';
import { problem } from '../platform/http/problems';
import { IdSchema, route, type Route } from '../platform/http/route';
import { versionOf } from '../platform/http/version';
import { record } from '../platform/log/record';
import type { Methods } from './domain';

export const methodRoutes = (methods: Methods): Route[] => [
  route({
    method: 'get',
    path: '/methods',
    summary: 'First-boot methods that people described',
    answer: z.array(ShelvedMethodSchema),
    run: () => methods.repository.list(),
  }),
  route({
    method: 'put',
    path: '/methods/:id',
    summary:
      'Save the description of a first-boot method, new or changed; If-Match names the version that was read, 0 for a new one',
    params: IdSchema,
    body: SaveMethodSchema,
    answer: ShelvedMethodSchema,
    problems: ['method-senseless', 'method-changed', 'version-missing'],
    run: async ({ params, body: { description }, request }) => {
      const [fault] = ownFaults(description);
      if (fault) throw problem('method-senseless', { why: faultWords(description, fault) });
      if (!(await methods.repository.save(params.id, description, versionOf(request.headers['if-match']))))
        throw problem('method-changed');
      await record(methods, { kind: 'method', text: `First-boot method "${description.title}" was saved.` });
      methods.events.send({ type: 'methods' });
      const saved = await methods.repository.find(params.id);
      // Somebody removed it between the two.
      if (!saved) throw problem('method-changed');
      return saved;
    },
  }),
  route({
    method: 'delete',
    path: '/methods/:id',
    summary: 'Take an own first-boot method off the shelf',
    params: IdSchema,
    problems: ['method-missing', 'method-needed'],
    run: async ({ params }) => {
      const title = await methods.knex.transaction(async (db) => {
        const method = await methods.repository.lock(params.id, db);
        if (!method) throw problem('method-missing');
        if (method.images.length > 0) throw problem('method-needed', { images: method.images.join(', ') });
        await methods.repository.remove(params.id, db);
        return method.description.title;
      });
      await record(methods, {
        kind: 'method',
        text: `First-boot method "${title}" was taken off the shelf.`,
      });
      methods.events.send({ type: 'methods' });
    },
  }),
];
