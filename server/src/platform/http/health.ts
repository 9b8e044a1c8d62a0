import * as z from 'zod';
import { route, type Route } from './route';

/** What a sign of life is taken from. */
interface Alive {
  platform: { station: string };
  practice: { lab: unknown };
  runs: { repository: { now(): Promise<number> } };
}

export const healthRoutes = (alive: Alive): Route[] => [
  route({
    method: 'get',
    path: '/health',
    summary: 'Whether the server and its database answer',
    answer: z.object({ station: z.string(), practice: z.boolean() }),
    run: async () => {
      await alive.runs.repository.now();
      return { station: alive.platform.station, practice: alive.practice.lab !== null };
    },
  }),
];
