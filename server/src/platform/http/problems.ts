import type { ErrorRequestHandler } from 'express';
import type { Logger } from 'pino';
import { ZodError, prettifyError } from 'zod';
import { problems, problemText, problemTitle, type ProblemCode, type ProblemValues } from '@nest-mark/core';
import { isOutage } from '../database/outage';
import { VaultError } from '../vault/seal';

/** An error for the other side, as RFC 9457 problem details with a stable code. */
export class Problem extends Error {
  override readonly name = 'Problem';

  constructor(
    readonly code: ProblemCode,
    text: string,
  ) {
    super(text);
  }

  get status(): number {
    return problems[this.code].status;
  }
}

/** A problem of the catalogue, with what differs from case to case. */
export const problem = <Code extends ProblemCode>(code: Code, ...values: ProblemValues<Code>): Problem =>
  new Problem(code, problemText(code, ...values));

/** Why something failed, in the words of whoever says so. */
export const reasonOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));

/** What the database or the system said, where a person can do something about it. */
function ofSystem(error: unknown): Problem | null {
  const { code } = error as { code?: unknown };
  if (code === '53100') return problem('database-full');
  if (code === 'ENOSPC') return problem('disk-full');
  if (isOutage(error)) return problem('database-away');
  // Data exceptions (PostgreSQL documentation, appendix A, class 22): text or numbers that it cannot hold.
  if (typeof code === 'string' && /^22...$/.test(code)) return problem('not-storable');
  return null;
}

/** Turns whatever was thrown into problem details. */
export function toProblem(error: unknown): Problem {
  if (error instanceof Problem) return error;
  if (error instanceof ZodError) return problem('invalid', { what: prettifyError(error) });
  if (error instanceof VaultError) return problem('secret-lost', { why: error.message });
  const { status, type } = error as { status?: number; type?: string };
  if (type === 'entity.too.large') return problem('too-large');
  if (status === 415) return problem('not-utf8');
  if (error instanceof URIError) return problem('bad-address');
  if (status === 400) return problem('not-json');
  const system = ofSystem(error);
  if (system) return system;
  return problem('internal');
}

/** Express' last handler. */
export const problemHandler =
  (logger: Logger): ErrorRequestHandler =>
  (error, _request, response, next) => {
    if (response.headersSent) {
      next(error);
      return;
    }
    const { status, code, message } = toProblem(error);
    if (status >= 500) logger.error(error);
    response
      .status(status)
      .type('application/problem+json')
      .json({ type: 'about:blank', title: problemTitle(code), status, code, detail: message });
  };
