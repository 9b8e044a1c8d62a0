import { PracticeActionSchema, PracticeViewSchema } from '@nest-mark/core';
import { checks } from '@nest-mark/core/find';
import { PracticeError, type Story } from '@nest-mark/stand-in';
import { problem } from '../platform/http/problems';
import { route, type Route } from '../platform/http/route';
import { stamp } from '../finding';
import { needBatch } from '../plans';
import type { Practice } from './domain';

function lab(practice: Practice): NonNullable<Practice['lab']> {
  if (!practice.lab) throw problem('no-practice');
  return practice.lab;
}

/** A drill begins with power for every board; their own proofs of before say nothing about it. */
async function notePower({ finding }: Practice, batchId: string): Promise<void> {
  const { plan } = await needBatch(finding.plans, batchId);
  await stamp(
    finding,
    batchId,
    plan.devices.map(({ id }) => id),
    'powered_at',
    'powered for a drill',
  );
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
      const story: Partial<Story> =
        body.do === 'look'
          ? { minutes: checks[body.check].minutes }
          : body.do === 'drill'
            ? { beforePower: () => notePower(practice, body.batchId) }
            : {};
      await bench.act(body, story).catch((error: unknown) => {
        throw error instanceof PracticeError ? problem('practice-refused', { why: error.message }) : error;
      });
      return bench.view();
    },
  }),
];
