import * as z from 'zod';
import { ArmRoundSchema, ProposalSchema, RoundSchema } from '@nest-mark/core';
import { once } from '../http/idempotency';
import { Problem } from '../http/problems';
import { IdSchema, route, type Route } from '../http/route';
import { armRound, proposeRound, resumeRound } from '../services/arm-round';
import { record } from '../services/context';

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
    summary: 'Write the cards of a round that were not finished: erases them',
    params: IdSchema,
    body: z.object({ confirm: z.string() }),
    answer: RoundSchema,
    status: 201,
    run: ({ context, params, body, request }) =>
      once(context, request, () => resumeRound(context, params.id, body.confirm)),
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
