import { ProblemSchema, type Problem } from '@nest-mark/core/api';

/** A request that failed, with a sentence for people. */
export class ApiProblem extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

const made = (code: string, detail: string, status = 0): ApiProblem =>
  new ApiProblem({ type: 'about:blank', title: 'Not done', status, code, detail });

/** The server did not answer at all. */
export const unreachable = (): ApiProblem =>
  made(
    'unreachable',
    'The server does not answer. What you typed is kept on this page and saved once it does. If Nest Mark still runs, cards that are being written go on; if it was stopped, they are unfinished, and it will say so.',
  );

/** Whether a problem is over by itself once the server or its database is back. */
export const isAway = (problem: Problem | null): boolean =>
  problem !== null && ['unreachable', 'database-away'].includes(problem.code);

/** The problem that an answer with an error status tells of. */
export async function problemOf(response: Response): Promise<ApiProblem> {
  const parsed = ProblemSchema.safeParse(await response.json().catch(() => null));
  return parsed.success
    ? new ApiProblem(parsed.data)
    : made(
        'unknown',
        `The server answered with status ${String(response.status)} and no explanation.`,
        response.status,
      );
}

/** Whatever was thrown, as a problem. */
export const asProblem = (error: unknown): Problem =>
  (error instanceof ApiProblem
    ? error
    : made('answer', 'The server’s answer was not understood. Reload the page; it may be of another version.')
  ).problem;
