import type { RequestHandler } from 'express';
import { problem } from './problems';

/** Levels of a message; deeper than any schema goes. */
const DEEPEST = 40;

// A surrogate without its partner is no character (Unicode 15, section 3.9), and the database can store neither it nor NUL.
const unstorable = /\0|[\uD800-\uDBFF](?![\uDC00-\uDFFF])|(?<![\uD800-\uDBFF])[\uDC00-\uDFFF]/;

/** Looks through a message without recursion, which a deep one would exhaust. @throws Problem */
function look(message: unknown): void {
  const waiting: [unknown, number][] = [[message, 0]];
  for (let next = waiting.pop(); next; next = waiting.pop()) {
    const [value, depth] = next;
    if (typeof value === 'string' && unstorable.test(value)) throw problem('bad-text');
    if (typeof value !== 'object' || value === null || Buffer.isBuffer(value)) continue;
    if (depth >= DEEPEST) throw problem('too-deep');
    for (const [key, inner] of Object.entries(value)) {
      waiting.push([key, DEEPEST]);
      waiting.push([inner, depth + 1]);
    }
  }
}

/** Refuses messages with text that is none, before anything is done with them. */
export const plainText: RequestHandler = (request, _response, next) => {
  look(request.body);
  look(request.query);
  let path: string;
  try {
    path = decodeURIComponent(request.path);
  } catch {
    throw problem('bad-address');
  }
  look(path);
  next();
};
