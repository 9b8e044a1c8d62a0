import { createHash } from 'node:crypto';
import type { Request } from 'express';
import type { Context } from '../services/context';
import { Problem } from './problems';

const running = new Map<string, Promise<unknown>>();

/**
 * Does something once for each Idempotency-Key; a repeated request gets the first answer again.
 * @throws Problem when the key is missing, or was used for another request
 */
export async function once<T>(context: Context, request: Request, work: () => Promise<T>): Promise<T> {
  const key = request.headers['idempotency-key'];
  if (typeof key !== 'string' || !/^[\w-]{8,100}$/.test(key))
    throw new Problem(
      400,
      'key-missing',
      'Send an Idempotency-Key of 8 to 100 letters and digits with what starts work.',
    );
  const print = createHash('sha256')
    .update(`${request.method} ${request.originalUrl} ${JSON.stringify(request.body)}`)
    .digest('hex');
  const before = running.get(key);
  // Entered before anything is waited for: a second press at the same moment must find the first one here.
  const now = (async (): Promise<T> => {
    await before?.catch(() => undefined);
    const known = await context.idempotency.find(key);
    if (known && known.request !== print)
      throw new Problem(422, 'key-reused', 'This Idempotency-Key was used for another request.');
    if (known) return known.body as T;
    const answer = await work();
    await context.idempotency.keep(key, print, answer);
    return answer;
  })();
  running.set(key, now);
  try {
    return await now;
  } finally {
    if (running.get(key) === now) running.delete(key);
  }
}
