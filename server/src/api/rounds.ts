import * as z from 'zod';
import { ArmRoundSchema, ProposalSchema, ResumeRoundSchema, RoundSchema } from '@nest-mark/core';
import { once } from '../http/idempotency';
import { Problem } from '../http/problems';
import { IdSchema, route, type Route } from '../http/route';
import { armRound, proposeRound, resumeRound } from '../services/arm-round';
import { record, type Context } from '../services/context';

/** Holds a round between two blocks, or lets it go on. @throws Problem when it is not being written */
async function hold(context: Context, roundId: string, paused: boolean): Promise<void> {
  const pause = context.pauses.get(roundId);
  const round = await context.rounds.find(roundId);
  if (!pause || !round) throw new Problem(409, 'round-ended', 'This round is not being written.');
  if (pause.paused === paused) return;
  if (paused) pause.pause();
  else pause.resume();
  context.live.setPaused(roundId, paused);
  await record(context, {
    kind: paused ? 'round-paused' : 'round-resumed',
    batchId: round.batchId,
    text: `Round ${String(round.number)} was ${paused ? 'held' : 'let go on'}.`,
  });
  context.events.send({ type: 'round', round: context.live.overlay(round) });
}

export const roundRoutes: Route[] = [
  route({
    method: 'get',
    path: '/batches/:id/next-round',
    summary: 'The slots, what is in them, and which devices come next',
    params: IdSchema,
    answer: ProposalSchema,
    run: ({ context, params }) => proposeRound(context, params.id),
  }),
  route({
    method: 'post',
    path: '/batches/:id/rounds',
    summary: 'Arm and start a round: erases the cards named',
    params: IdSchema,
    body: ArmRoundSchema,
    answer: RoundSchema,
    status: 201,
    run: ({ context, params, body, request }) =>
      once(context, request, () => armRound(context, params.id, body)),
  }),
  route({
    method: 'post',
    path: '/rounds/:id/resume',
    summary: 'Write the cards of a round that were not finished, or one of them: erases them',
    params: IdSchema,
    body: ResumeRoundSchema,
    answer: RoundSchema,
    status: 201,
    run: ({ context, params, body, request }) =>
      once(context, request, () => resumeRound(context, params.id, body)),
  }),
  route({
    method: 'post',
    path: '/rounds/:id/pause',
    summary: 'Hold a round between two blocks, or let it go on',
    params: IdSchema,
    body: z.object({ paused: z.boolean() }),
    run: ({ context, params, body }) => hold(context, params.id, body.paused),
  }),
  route({
    method: 'post',
    path: '/rounds/:id/cancel',
    summary: 'Stop a round; its cards stay unfinished',
    params: IdSchema,
    run: async ({ context, params }) => {
      const stopper = context.stoppers.get(params.id);
      const round = await context.rounds.find(params.id);
      if (!stopper || !round) throw new Problem(409, 'round-ended', 'This round is not being written.');
      await record(context, {
        kind: 'round-cancelled',
        batchId: round.batchId,
        text: `Round ${String(round.number)} was cancelled.`,
      });
      stopper.abort();
    },
  }),
];
