import * as z from 'zod';
import { LogEntrySchema } from '@nest-mark/core';
import { route, type Route } from '../http/route';
import type { LogRepository } from './repository';

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

export const logRoutes = (platform: { log: LogRepository }): Route[] => [
  route({
    method: 'get',
    path: '/log',
    summary: 'What happened, newest first',
    query: LogQuerySchema,
    answer: z.array(LogEntrySchema),
    run: ({ query }) => platform.log.list(query),
  }),
];
