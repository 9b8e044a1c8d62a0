import type { ErrorRequestHandler } from 'express';
import type { Logger } from 'pino';
import { ZodError, prettifyError } from 'zod';

/** An error for the other side, as RFC 9457 problem details with a stable code. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
  ) {
    super(message);
  }
}

const titles: Record<number, string> = {
  400: 'The request is not understood',
  403: 'Not allowed from there',
  404: 'Not found',
  409: 'Not possible now',
  412: 'Changed in the meantime',
  413: 'Too large',
  422: 'Not accepted',
  428: 'Version missing',
  500: 'Something broke here',
};

/** Turns whatever was thrown into problem details. */
export function toProblem(error: unknown): Problem {
  if (error instanceof Problem) return error;
  if (error instanceof ZodError) return new Problem(422, 'invalid', prettifyError(error));
  const { status, type } = error as { status?: number; type?: string };
  if (type === 'entity.too.large')
    return new Problem(413, 'too-large', 'The request is too large. Send less at once.');
  if (status === 400) return new Problem(400, 'not-json', 'The request is not valid JSON.');
  return new Problem(
    500,
    'internal',
    'Something broke in the server. Nothing was erased by this request; the server’s log has the details.',
  );
}

/** Express' last handler. */
export const problemHandler =
  (logger: Logger): ErrorRequestHandler =>
  (error, _request, response, next) => {
    if (response.headersSent) {
      next(error);
      return;
    }
    const problem = toProblem(error);
    if (problem.status >= 500) logger.error(error);
    response
      .status(problem.status)
      .type('application/problem+json')
      .json({
        type: 'about:blank',
        title: titles[problem.status] ?? 'Error',
        status: problem.status,
        code: problem.code,
        detail: problem.message,
      });
  };
