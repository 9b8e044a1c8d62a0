import * as z from 'zod';
import { LogEntrySchema, PracticeActionSchema, PracticeViewSchema } from '@nest-mark/core';
import { PracticeError } from '@nest-mark/stand-in';
import { Problem } from '../http/problems';
import { route, type Route } from '../http/route';
import type { Context } from '../services/context';

function lab(context: Context): NonNullable<Context['lab']> {
  if (!context.lab) throw new Problem(404, 'no-practice', 'This station has no practice bench.');
  return context.lab;
}

const LogQuerySchema = z.object({
  batchId: z.uuid().optional(),
  deviceId: z.uuid().optional(),
  cardSerial: z.string().max(64).optional(),
  before: z
    .string()
    .regex(/^\d{1,18}$/)
    .optional(),
  limit: z.coerce.number().int().min(1).max(500).default(200),
});

export const logRoutes: Route[] = [
  route({
    method: 'get',
    path: '/log',
    summary: 'What happened, newest first',
    query: LogQuerySchema,
    answer: z.array(LogEntrySchema),
    run: ({ context, query }) => context.log.list(query),
  }),
];

export const practiceRoutes: Route[] = [
  route({
    method: 'get',
    path: '/practice',
    summary: 'The practice bench',
    answer: PracticeViewSchema,
    run: ({ context }) => lab(context).view(),
  }),
  route({
    method: 'post',
    path: '/practice/actions',
    summary: 'Do what hands would do on the practice bench',
    body: PracticeActionSchema,
    answer: PracticeViewSchema,
    run: async ({ context, body }) => {
      const bench = lab(context);
      await bench.act(body).catch((error: unknown) => {
        throw error instanceof PracticeError ? new Problem(409, 'practice', error.message) : error;
      });
      return bench.view();
    },
  }),
];

export const healthRoutes: Route[] = [
  route({
    method: 'get',
    path: '/health',
    summary: 'Whether the server and its database answer',
    answer: z.object({ station: z.string(), practice: z.boolean() }),
    run: async ({ context }) => {
      await context.knex.raw('select 1');
      return { station: context.station, practice: context.lab !== null };
    },
  }),
];
