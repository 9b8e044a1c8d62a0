import * as z from 'zod';
import {
  ArmRoundSchema,
  ProposalSchema,
  RateListSchema,
  ResumeRoundSchema,
  RoundSchema,
  type ProblemCode,
  type Round,
} from '@nest-mark/core';
import { once, onceProblems } from '../platform/idempotency/once';
import { problem, type Problem } from '../platform/http/problems';
import { IdSchema, route, type Route } from '../platform/http/route';
import { guardProblems } from '../cards';
import { armRound, proposeRound, resumeRound } from './arm';
import { record } from '../platform/log/record';
import type { Rounds } from './domain';

/** What arming cards may be answered. */
const armingProblems = [
  'batch-missing',
  'plan-stops',
  'look-ahead',
  'look-again',
  'card-twice',
  'device-gone',
  'card-retired',
  'card-not-ready',
  'changed-while-arming',
  'device-busy',
  ...guardProblems,
] as const satisfies readonly ProblemCode[];

const ended = (): Problem => problem('round-ended');

/** A round that is under way, wherever that is. @throws Problem */
async function needUnderWay(rounds: Rounds, roundId: string): Promise<Round> {
  const round = await rounds.repository.find(roundId);
  if (round?.state !== 'queued' && round?.state !== 'running') throw ended();
  return round;
}

/** Holds a round between two blocks, or lets it go on. @throws Problem when it is not being written */
async function hold(rounds: Rounds, roundId: string, paused: boolean): Promise<void> {
  const round = await needUnderWay(rounds, roundId);
  if (round.paused === paused) return;
  if (!(await rounds.runs.ask(roundId, paused ? 'hold' : 'go-on'))) throw ended();
  await record(rounds, {
    kind: paused ? 'round-paused' : 'round-resumed',
    batchId: round.batchId,
    text: `Round ${String(round.number)} was ${paused ? 'held' : 'let go on'}.`,
  });
}

/** Stops a round; its cards stay unfinished. @throws Problem when it is not being written */
async function cancel(rounds: Rounds, roundId: string): Promise<void> {
  const round = await needUnderWay(rounds, roundId);
  if (!(await rounds.runs.ask(roundId, 'cancel'))) throw ended();
  await record(rounds, {
    kind: 'round-cancelled',
    batchId: round.batchId,
    text: `Round ${String(round.number)} was cancelled.`,
  });
}

export const roundRoutes = (rounds: Rounds): Route[] => [
  route({
    method: 'get',
    path: '/batches/:id/next-round',
    summary: 'The slots, what is in them, and which devices come next',
    params: IdSchema,
    answer: ProposalSchema,
    problems: ['batch-missing'],
    run: ({ params }) => proposeRound(rounds, params.id),
  }),
  route({
    method: 'post',
    path: '/batches/:id/rounds',
    summary: 'Arm and start a round: erases the cards named',
    params: IdSchema,
    body: ArmRoundSchema,
    answer: RoundSchema,
    status: 201,
    problems: [...onceProblems, ...armingProblems],
    run: ({ params, body, request, who }) =>
      once(rounds, request, () => armRound(rounds, params.id, body, who)),
  }),
  route({
    method: 'post',
    path: '/rounds/:id/resume',
    summary: 'Write the cards of a round that were not finished, or one of them: erases them',
    params: IdSchema,
    body: ResumeRoundSchema,
    answer: RoundSchema,
    status: 201,
    problems: [
      ...onceProblems,
      'round-missing',
      'round-elsewhere',
      'round-running',
      'round-complete',
      'round-card-changed',
      ...armingProblems,
    ],
    run: ({ params, body, request, who }) =>
      once(rounds, request, () => resumeRound(rounds, params.id, body, who)),
  }),
  route({
    method: 'post',
    path: '/rounds/:id/pause',
    summary: 'Hold a round between two blocks, or let it go on',
    params: IdSchema,
    body: z.object({ paused: z.boolean() }),
    problems: ['round-ended'],
    run: ({ params, body }) => hold(rounds, params.id, body.paused),
  }),
  route({
    method: 'post',
    path: '/rounds/:id/cancel',
    summary: 'Stop a round; its cards stay unfinished',
    params: IdSchema,
    problems: ['round-ended'],
    run: ({ params }) => cancel(rounds, params.id),
  }),
  route({
    method: 'get',
    path: '/rates',
    summary: 'What this bench has measured, by reader and kind of card',
    answer: RateListSchema,
    run: () => rounds.repository.measuredRates(),
  }),
];
