import type { ErrorRequestHandler } from 'express';
import type { Logger } from 'pino';
import { ZodError, prettifyError } from 'zod';
import { isOutage } from '../db/outage';
import { VaultError } from '../services/vault';

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
  401: 'Not let in',
  403: 'Not allowed from there',
  404: 'Not found',
  409: 'Not possible now',
  412: 'Changed in the meantime',
  413: 'Too large',
  415: 'Not in a form that is read here',
  422: 'Not accepted',
  428: 'Version missing',
  500: 'Something broke here',
  503: 'The database does not answer',
  507: 'A disk is full',
};

/** What the database or the system said, where a person can do something about it. */
function ofSystem(error: unknown): Problem | null {
  const { code } = error as { code?: unknown };
  if (code === '53100')
    return new Problem(
      507,
      'database-full',
      'The disk that holds the database is full. This was not saved; what was saved before is whole, and cards that are being written go on. Make room, then do it again.',
    );
  if (code === 'ENOSPC')
    return new Problem(
      507,
      'disk-full',
      'The disk that holds the data folder is full. This was not kept; what was kept before is whole. Make room, then do it again.',
    );
  if (isOutage(error))
    return new Problem(
      503,
      'database-away',
      'The database does not answer at the moment. Nothing was erased by this request and nothing that was saved is lost. It is tried again by itself; if it stays away, start Nest Mark again.',
    );
  // Data exceptions (PostgreSQL documentation, appendix A, class 22): text or numbers that it cannot hold.
  if (typeof code === 'string' && /^22...$/.test(code))
    return new Problem(
      422,
      'not-storable',
      'A value is too large, or text holds a character that cannot be stored. Nothing was changed; correct it and send it again.',
    );
  return null;
}

/** Turns whatever was thrown into problem details. */
export function toProblem(error: unknown): Problem {
  if (error instanceof Problem) return error;
  if (error instanceof ZodError) return new Problem(422, 'invalid', prettifyError(error));
  if (error instanceof VaultError) return new Problem(409, 'secret-lost', error.message);
  const { status, type } = error as { status?: number; type?: string };
  if (type === 'entity.too.large')
    return new Problem(413, 'too-large', 'The request is too large. Send less at once.');
  if (status === 415) return new Problem(415, 'not-utf8', 'Send JSON in UTF-8, without compression.');
  if (error instanceof URIError)
    return new Problem(400, 'bad-address', 'The address has a % that begins no character.');
  if (status === 400) return new Problem(400, 'not-json', 'The request is not valid JSON.');
  const system = ofSystem(error);
  if (system) return system;
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
