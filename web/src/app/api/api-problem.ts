import {
  problemEntry,
  problems,
  ProblemSchema,
  problemText,
  problemTitle,
  type Problem,
  type ProblemCode,
  type ProblemHandling,
  type ProblemValues,
} from '@nest-mark/core/api';

/** A request that failed, with a sentence for people. */
export class ApiProblem extends Error {
  override readonly name = 'ApiProblem';

  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

/** A problem that the browser meets by itself. */
export const met = <Code extends ProblemCode>(code: Code, ...values: ProblemValues<Code>): Problem => ({
  type: 'about:blank',
  title: problemTitle(code),
  status: problems[code].status,
  code,
  detail: problemText(code, ...values),
});

/** The server did not answer at all. */
export const unreachable = (): ApiProblem => new ApiProblem(met('unreachable'));

/** What is done about a problem besides showing it; a code of another version is only shown. */
export const handlingOf = (problem: Problem | null): ProblemHandling =>
  (problem && problemEntry(problem.code)?.handling) ?? 'show';

/** Whether a problem is over by itself once the server or its database is back. */
export const isAway = (problem: Problem | null): boolean => handlingOf(problem) === 'wait';

/** The problem that an answer with an error status tells of. */
export async function problemOf(response: Response): Promise<ApiProblem> {
  const parsed = ProblemSchema.safeParse(await response.json().catch(() => null));
  return new ApiProblem(parsed.success ? parsed.data : met('unknown', { status: String(response.status) }));
}

/** Whatever was thrown, as a problem. */
export const asProblem = (error: unknown): Problem =>
  error instanceof ApiProblem ? error.problem : met('answer');
