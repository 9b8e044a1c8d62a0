import * as z from 'zod';
import { BoardListSchema, SaveBoardSchema, ShelvedBoardSchema } from '@nest-mark/core';
import { problem } from '../platform/http/problems';
import { route, type Route } from '../platform/http/route';
import { versionOf } from '../platform/http/version';
import { record } from '../platform/log/record';
import type { Boards } from './domain';

const BoardIdSchema = z.object({ id: z.string().min(1).max(40) });

export const boardRoutes = (boards: Boards): Route[] => [
  route({
    method: 'get',
    path: '/boards',
    summary: 'The shelf of board profiles',
    answer: BoardListSchema,
    run: () => boards.repository.list(),
  }),
  route({
    method: 'put',
    path: '/boards/:id',
    summary:
      'Save a board profile, new or changed; If-Match names the version that was read, 0 for a new one',
    params: BoardIdSchema,
    body: SaveBoardSchema,
    answer: ShelvedBoardSchema,
    problems: ['board-id', 'board-changed', 'version-missing'],
    run: async ({ params, body, request }) => {
      if (body.board.id !== params.id) throw problem('board-id');
      if (!(await boards.repository.save(body.board, versionOf(request.headers['if-match']))))
        throw problem('board-changed');
      await record(boards, { kind: 'board', text: `Board profile "${body.board.title}" was saved.` });
      boards.events.send({ type: 'boards' });
      const saved = (await boards.repository.list()).find(({ id }) => id === params.id);
      if (!saved) throw new Error('a profile that was just saved is missing');
      return saved;
    },
  }),
  route({
    method: 'delete',
    path: '/boards/:id',
    summary: 'Take an own profile off the shelf, or put a changed one back to how it shipped',
    params: BoardIdSchema,
    problems: ['board-missing', 'board-shipped', 'board-needed'],
    run: async ({ params }) => {
      const board = (await boards.repository.list()).find(({ id }) => id === params.id);
      if (!board) throw problem('board-missing');
      if (board.origin === 'shipped') throw problem('board-shipped');
      const needed = board.origin === 'own' ? await boards.repository.neededBy(params.id) : [];
      if (needed.length > 0) throw problem('board-needed', { plans: needed.join(', ') });
      await boards.repository.remove(params.id);
      await record(boards, {
        kind: 'board',
        text: `Board profile "${board.title}" was ${board.origin === 'own' ? 'taken off the shelf' : 'put back to how it shipped'}.`,
      });
      boards.events.send({ type: 'boards' });
    },
  }),
];
