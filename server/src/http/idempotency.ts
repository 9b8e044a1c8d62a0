import { createHash } from 'node:crypto';
import type { Request } from 'express';
import type { Context } from '../services/context';
import { Problem } from './problems';

interface Row {
  key: string;
  request: string;
  body: unknown;
}

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
  if (before) await before.catch(() => undefined);
  const known = await context.knex<Row>('idempotency').where('key', key).first();
  if (known && known.request !== print)
    throw new Problem(422, 'key-reused', 'This Idempotency-Key was used for another request.');
  if (known) return known.body as T;
  const now = work().then(async (answer) => {
    await context
      .knex('idempotency')
      .insert({ key, request: print, status: 200, body: JSON.stringify(answer) });
    return answer;
  });
  running.set(key, now);
  try {
    return await now;
  } finally {
    running.delete(key);
  }
}
