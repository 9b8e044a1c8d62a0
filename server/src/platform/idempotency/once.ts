import { createHash } from 'node:crypto';
import type { Request } from 'express';
import type { ProblemCode } from '@nest-mark/core';
import type { IdempotencyRepository } from './repository';
import { problem } from '../http/problems';

/** What work that must not be started twice may be answered. */
export const onceProblems = ['key-missing', 'key-reused'] as const satisfies readonly ProblemCode[];

const running = new Map<string, Promise<unknown>>();

/**
 * Does something once for each Idempotency-Key; a repeated request gets the first answer again.
 * @throws Problem when the key is missing, or was used for another request
 */
export async function once<T>(
  { idempotency }: { idempotency: IdempotencyRepository },
  request: Request,
  work: () => Promise<T>,
): Promise<T> {
  const key = request.headers['idempotency-key'];
  if (typeof key !== 'string' || !/^[\w-]{8,100}$/.test(key)) throw problem('key-missing');
  const print = createHash('sha256')
    .update(`${request.method} ${request.originalUrl} ${JSON.stringify(request.body)}`)
    .digest('hex');
  const before = running.get(key);
  // Entered before anything is waited for: a second press at the same moment must find the first one here.
  const now = (async (): Promise<T> => {
    await before?.catch(() => undefined);
    const known = await idempotency.find(key);
    if (known && known.request !== print) throw problem('key-reused');
    if (known) return known.body as T;
    const answer = await work();
    await idempotency.keep(key, print, answer);
    return answer;
  })();
  running.set(key, now);
  try {
    return await now;
  } finally {
    if (running.get(key) === now) running.delete(key);
  }
}
