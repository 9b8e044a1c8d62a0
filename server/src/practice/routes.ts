import { PracticeActionSchema, PracticeViewSchema } from '@nest-mark/core';
import { PracticeError } from '@nest-mark/stand-in';
import { problem } from '../platform/http/problems';
import { route, type Route } from '../platform/http/route';
import type { Practice } from './domain';

function lab(practice: Practice): NonNullable<Practice['lab']> {
  if (!practice.lab) throw problem('no-practice');
  return practice.lab;
}

export const practiceRoutes = (practice: Practice): Route[] => [
  route({
    method: 'get',
    path: '/practice',
    summary: 'The practice bench',
    answer: PracticeViewSchema,
    problems: ['no-practice'],
    run: () => lab(practice).view(),
  }),
  route({
    method: 'post',
    path: '/practice/actions',
    summary: 'Do what hands would do on the practice bench',
    body: PracticeActionSchema,
    answer: PracticeViewSchema,
    problems: ['no-practice', 'practice-refused'],
    run: async ({ body }) => {
      const bench = lab(practice);
      await bench.act(body).catch((error: unknown) => {
        throw error instanceof PracticeError ? problem('practice-refused', { why: error.message }) : error;
      });
      return bench.view();
    },
  }),
];
