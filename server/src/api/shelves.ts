import * as z from 'zod';
import {
  BoardListSchema,
  MadeKeySchema,
  MakeKeySchema,
  NetworkListSchema,
  networkTitle,
  RateListSchema,
  SaveBoardSchema,
  SaveNetworkSchema,
  ShelvedBoardSchema,
  ShelvedNetworkSchema,
} from '@nest-mark/core';
import { Problem } from '../http/problems';
import { IdSchema, route, type Route } from '../http/route';
import { versionOf } from '../http/version';
import { record } from '../services/context';
import { makeKey } from '../services/make-key';
import {
  createNetwork,
  needNetwork,
  NETWORK_SECRET,
  removeNetwork,
  saveNetwork,
  shelfNetworks,
} from '../services/networks';

const BoardIdSchema = z.object({ id: z.string().min(1).max(40) });

export const networkRoutes: Route[] = [
  route({
    method: 'get',
    path: '/networks',
    summary: 'The shelf of Wi-Fi networks',
    answer: NetworkListSchema,
    run: ({ context }) => shelfNetworks(context),
  }),
  route({
    method: 'post',
    path: '/networks',
    summary: 'Put a network on the shelf',
    body: SaveNetworkSchema,
    answer: ShelvedNetworkSchema,
    status: 201,
    run: ({ context, body }) => createNetwork(context, body),
  }),
  route({
    method: 'put',
    path: '/networks/:id',
    summary: 'Save a network; If-Match names the version that was read',
    params: IdSchema,
    body: SaveNetworkSchema,
    answer: ShelvedNetworkSchema,
    run: ({ context, params, body, request }) =>
      saveNetwork(context, params.id, versionOf(request.headers['if-match']), body),
  }),
  route({
    method: 'delete',
    path: '/networks/:id',
    summary: 'Take a network off the shelf',
    params: IdSchema,
    run: ({ context, params }) => removeNetwork(context, params.id),
  }),
  route({
    method: 'post',
    path: '/networks/:id/reveal',
    summary: 'Show the key of a network; this is logged',
    params: IdSchema,
    answer: z.object({ value: z.string().nullable() }),
    run: async ({ context, params }) => {
      const network = await needNetwork(context, params.id);
      const value = await context.vault.get(params.id, NETWORK_SECRET);
      await record(context, {
        kind: 'revealed',
        text: `The passphrase of network "${networkTitle(network)}" was shown on the screen.`,
      });
      return { value };
    },
  }),
];

export const boardRoutes: Route[] = [
  route({
    method: 'get',
    path: '/boards',
    summary: 'The shelf of board profiles',
    answer: BoardListSchema,
    run: ({ context }) => context.boards.list(),
  }),
  route({
    method: 'put',
    path: '/boards/:id',
    summary:
      'Save a board profile, new or changed; If-Match names the version that was read, 0 for a new one',
    params: BoardIdSchema,
    body: SaveBoardSchema,
    answer: ShelvedBoardSchema,
    run: async ({ context, params, body, request }) => {
      if (body.board.id !== params.id)
        throw new Problem(422, 'board-id', 'The profile has another id than its address.');
      if (!(await context.boards.save(body.board, versionOf(request.headers['if-match']))))
        throw new Problem(
          412,
          'board-changed',
          'Somebody else saved this profile in the meantime. Nothing was overwritten: it is shown as it is now, make your change again.',
        );
      await record(context, { kind: 'board', text: `Board profile "${body.board.title}" was saved.` });
      context.events.send({ type: 'boards' });
      const saved = (await context.boards.list()).find(({ id }) => id === params.id);
      if (!saved) throw new Error('a profile that was just saved is missing');
      return saved;
    },
  }),
  route({
    method: 'delete',
    path: '/boards/:id',
    summary: 'Take an own profile off the shelf, or put a changed one back to how it shipped',
    params: BoardIdSchema,
    run: async ({ context, params }) => {
      const board = (await context.boards.list()).find(({ id }) => id === params.id);
      if (!board) throw new Problem(404, 'board-missing', 'There is no such board profile.');
      if (board.origin === 'shipped')
        throw new Problem(409, 'board-shipped', 'This profile ships with the program and is unchanged.');
      const needed = board.origin === 'own' ? await context.boards.neededBy(params.id) : [];
      if (needed.length > 0)
        throw new Problem(
          409,
          'board-needed',
          `The profile stays: it is planned in ${needed.join(', ')}. Choose another one there first.`,
        );
      await context.boards.remove(params.id);
      await record(context, {
        kind: 'board',
        text: `Board profile "${board.title}" was ${board.origin === 'own' ? 'taken off the shelf' : 'put back to how it shipped'}.`,
      });
      context.events.send({ type: 'boards' });
    },
  }),
];

export const benchRoutes: Route[] = [
  route({
    method: 'get',
    path: '/rates',
    summary: 'What this bench has measured, by reader and kind of card',
    answer: RateListSchema,
    run: ({ context }) => context.rounds.measuredRates(),
  }),
  route({
    method: 'post',
    path: '/keys',
    summary: 'Make an SSH key pair; the private half is told once and kept nowhere',
    body: MakeKeySchema,
    answer: MadeKeySchema,
    run: async ({ context, body }) => {
      const made = await makeKey(body.type, body.comment, body.passphrase);
      await record(context, {
        kind: 'key-made',
        text: `A key pair was made, ${made.fingerprint}. Its private half was handed out and not kept.`,
      });
      return made;
    },
  }),
];
