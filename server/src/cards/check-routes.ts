import {
  CardComparisonSchema,
  CheckPathSchema,
  SentBootFilesSchema,
  SlotCheckSchema,
  TriedMethodSchema,
  TryMethodSchema,
} from '@nest-mark/core';
import { route, type Route } from '../platform/http/route';
import { checkPath, compareSent, pathFiles } from './check-image';
import type { Cards } from './domain';
import { tryMethod } from './preview';

export const checkRoutes = (cards: Cards): Route[] => [
  route({
    method: 'post',
    path: '/checks/path',
    summary: 'What an image by its path on this machine would make of a board',
    body: CheckPathSchema,
    answer: SlotCheckSchema,
    problems: ['image-packed', 'image-unreadable'],
    run: ({ body }) => checkPath(cards, body.path),
  }),
  route({
    method: 'post',
    path: '/checks/path/files',
    summary: 'The first-boot files of such an image, with their secrets; logged',
    body: CheckPathSchema,
    answer: SentBootFilesSchema,
    problems: ['image-packed', 'image-unreadable'],
    run: ({ body }) => pathFiles(cards, body.path),
  }),
  route({
    method: 'post',
    path: '/checks/compare',
    summary: 'Compare first-boot files with the plan that they were written for',
    body: SentBootFilesSchema,
    answer: CardComparisonSchema.nullable(),
    run: ({ body }) => compareSent(cards, body),
  }),
  route({
    method: 'post',
    path: '/checks/method',
    summary:
      'What a description of a first-boot method would make for a device, secrets masked; nothing is kept',
    body: TryMethodSchema,
    answer: TriedMethodSchema,
    problems: ['batch-missing', 'device-missing', 'files-not-ready'],
    run: ({ body }) => tryMethod(cards, body),
  }),
];
