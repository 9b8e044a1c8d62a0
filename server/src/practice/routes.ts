import { PracticeActionSchema, PracticeViewSchema, type PracticeAction } from '@nest-mark/core';
import { checks } from '@nest-mark/core/find';
import { PracticeError, type Lab, type Story } from '@nest-mark/stand-in';
import { problem } from '../platform/http/problems';
import { route, type Route } from '../platform/http/route';
import { stamp, wayByAdvice } from '../finding';
import type { Practice } from './domain';

function lab(practice: Practice): NonNullable<Practice['lab']> {
  if (!practice.lab) throw problem('no-practice');
  return practice.lab;
}

/** A drill begins with power for its boards; their own proofs of before say nothing about it. */
async function notePower({ finding }: Practice, batchId: string, deviceIds: string[]): Promise<void> {
  await stamp(finding, batchId, deviceIds, 'powered_at', 'powered for a drill');
}

/** What an action means to a drill: how long it takes, and how it could have been found. */
async function storyOf(
  practice: Practice,
  bench: Pick<Lab, 'hidden'>,
  action: PracticeAction,
): Promise<Partial<Story>> {
  const { hidden } = bench;
  switch (action.do) {
    case 'look':
      return { minutes: checks[action.check].minutes };
    case 'drill':
      return { beforePower: (deviceIds) => notePower(practice, action.batchId, deviceIds) };
    case 'mend':
    case 'endDrill':
      return hidden ? { way: await wayByAdvice(practice.finding, hidden.batchId, hidden.cause) } : {};
    default:
      return {};
  }
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
    problems: ['no-practice', 'practice-refused', 'batch-missing'],
    run: async ({ body }) => {
      const bench = lab(practice);
      const story = await storyOf(practice, bench, body);
      await bench.act(body, story).catch((error: unknown) => {
        throw error instanceof PracticeError ? problem('practice-refused', { why: error.message }) : error;
      });
      return bench.view();
    },
  }),
];
