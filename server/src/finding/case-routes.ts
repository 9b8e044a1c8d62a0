import {
  CaseAnswerSchema,
  CaseMendSchema,
  CasesSchema,
  CaseUnsaidSchema,
  type CaseAnswer,
  type CaseMend,
  type CaseUnsaid,
} from '@nest-mark/core';
import { causes, checks, type Answer } from '@nest-mark/core/find';
import type { Knex } from 'knex';
import { problem } from '../platform/http/problems';
import { IdSchema, route, type Route } from '../platform/http/route';
import { once, onceProblems } from '../platform/idempotency/once';
import { needBatch } from '../plans';
import { batchCases } from './cases';
import type { Finding } from './domain';

const words: Record<Answer, string> = { yes: 'yes', no: 'no', unsure: 'cannot say' };

/** Names of the devices that a message is about. @throws Problem when one is none of the batch's */
async function namesOf(finding: Finding, batchId: string, deviceIds: readonly string[]): Promise<string> {
  const { plan } = await needBatch(finding.plans, batchId);
  const names = new Map(plan.devices.map(({ id, hostName }) => [id, hostName]));
  const known = deviceIds.flatMap((id) => names.get(id) ?? []);
  if (known.length < deviceIds.length) throw problem('case-changed');
  return known.length > 3 ? `${String(known.length)} boards` : known.join(', ');
}

/** Writes something down about a case and logs it, both or neither. */
async function note(
  finding: Finding,
  batchId: string,
  text: string,
  work: (db: Knex) => Promise<void>,
): Promise<'noted'> {
  await finding.knex.transaction(async (db) => {
    await work(db);
    await finding.log.add([{ kind: 'fault', batchId, text }], db);
  });
  finding.events.send({ type: 'log' });
  finding.events.send({ type: 'progress', batchId });
  return 'noted';
}

/** A question for the log, where it is about several boards at once. */
function short(question: string, names: string): string {
  const words: Record<string, string> = {
    nest: names,
    name: names,
    mark: 'its mark',
    network: 'its network',
    bands: 'as its profile says',
    country: 'as planned',
    bits: 'this width',
  };
  return question.replace(/\{(\w+)\}/g, (whole, place: string) => words[place] ?? whole);
}

async function answer(finding: Finding, batchId: string, said: CaseAnswer, by: string): Promise<'noted'> {
  // What was seen of one board says nothing of the others once that one is there.
  const { about } = checks[said.check];
  const deviceIds = about === 'network' ? said.deviceIds : said.deviceIds.slice(0, 1);
  const names = await namesOf(finding, batchId, said.deviceIds);
  const text = `${names} not there: ${short(checks[said.check].question, names)} ${words[said.answer]}.`;
  return note(finding, batchId, text, (db) =>
    finding.faults.addAnswer(
      batchId,
      { ...said, deviceIds },
      { by, drill: finding.drillOf(batchId)?.outcome === 'open' },
      db,
    ),
  );
}

async function takeBack(finding: Finding, batchId: string, unsaid: CaseUnsaid): Promise<void> {
  const names = await namesOf(finding, batchId, unsaid.deviceIds);
  const text = `${names} not there: the answer to “${short(checks[unsaid.check].question, names)}” was taken back.`;
  await note(finding, batchId, text, async (db) => {
    if (!(await finding.faults.takeBack(batchId, unsaid, db))) throw problem('case-changed');
  });
}

async function mend(finding: Finding, batchId: string, mended: CaseMend, by: string): Promise<'noted'> {
  const names = await namesOf(finding, batchId, mended.deviceIds);
  const { title } = causes[mended.cause];
  const text = mended.inVain
    ? `${names} not there: mending did not help, as if ${title}.`
    : `${names} not there: mended, as if ${title}.`;
  return note(finding, batchId, text, (db) => finding.faults.addMend(batchId, mended, by, db));
}

export const caseRoutes = (finding: Finding): Route[] => [
  route({
    method: 'get',
    path: '/batches/:id/cases',
    summary: 'Boards that were powered and do not appear: why that may be, and what to look at next',
    params: IdSchema,
    answer: CasesSchema,
    problems: ['batch-missing'],
    run: async ({ params }) => ({ cases: await batchCases(finding, params.id) }),
  }),
  route({
    method: 'post',
    path: '/batches/:id/cases/answers',
    summary: 'Note what was seen of boards that do not appear',
    params: IdSchema,
    body: CaseAnswerSchema,
    problems: [...onceProblems, 'batch-missing', 'case-changed'],
    run: async ({ params, body, request, who }) => {
      await once(finding, request, () => answer(finding, params.id, body, who));
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/cases/answers/take-back',
    summary: 'Take an answer back',
    params: IdSchema,
    body: CaseUnsaidSchema,
    problems: ['batch-missing', 'case-changed'],
    run: ({ params, body }) => takeBack(finding, params.id, body),
  }),
  route({
    method: 'post',
    path: '/batches/:id/cases/mends',
    summary: 'Note that a cause was mended, or that mending it did not help',
    params: IdSchema,
    body: CaseMendSchema,
    problems: [...onceProblems, 'batch-missing', 'case-changed'],
    run: async ({ params, body, request, who }) => {
      await once(finding, request, () => mend(finding, params.id, body, who));
    },
  }),
];
