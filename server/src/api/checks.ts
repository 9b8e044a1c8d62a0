import { CardComparisonSchema, CheckPathSchema, SentBootFilesSchema, SlotCheckSchema } from '@nest-mark/core';
import { route, type Route } from '../http/route';
import { checkPath, compareSent, pathFiles } from '../services/check-image';

export const checkRoutes: Route[] = [
  route({
    method: 'post',
    path: '/checks/path',
    summary: 'What an image by its path on this machine would make of a board',
    body: CheckPathSchema,
    answer: SlotCheckSchema,
    run: ({ context, body }) => checkPath(context, body.path),
  }),
  route({
    method: 'post',
    path: '/checks/path/files',
    summary: 'The first-boot files of such an image, with their secrets; logged',
    body: CheckPathSchema,
    answer: SentBootFilesSchema,
    run: ({ context, body }) => pathFiles(context, body.path),
  }),
  route({
    method: 'post',
    path: '/checks/compare',
    summary: 'Compare first-boot files with the plan that they were written for',
    body: SentBootFilesSchema,
    answer: CardComparisonSchema.nullable(),
    run: ({ context, body }) => compareSent(context, body),
  }),
];
