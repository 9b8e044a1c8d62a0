import type { RequestHandler } from 'express';
import { Problem } from './problems';

/** Names under which a program on this machine may be asked. */
const localNames = new Set(['127.0.0.1', 'localhost', '[::1]']);

const nameOf = (host: string): string => host.replace(/:\d+$/, '');

/**
 * Lets only this machine's own pages in. A page from elsewhere in the same browser could otherwise drive a
 * program that can erase disks (cross-site requests, DNS rebinding).
 */
export const sameMachine: RequestHandler = (request, _response, next) => {
  const host = request.headers.host ?? '';
  const origin = request.headers.origin;
  const foreign =
    !localNames.has(nameOf(host)) ||
    (origin !== undefined && origin !== `http://${host}`) ||
    request.headers['sec-fetch-site'] === 'cross-site';
  if (foreign)
    throw new Problem(
      403,
      'foreign-page',
      'This program answers only pages that it served itself on this machine.',
    );
  const changes = request.method !== 'GET' && request.method !== 'HEAD';
  // A form of another site can post text, but not JSON.
  if (
    changes &&
    !request.is(['application/json', 'application/octet-stream']) &&
    request.headers['content-length'] !== undefined &&
    request.headers['content-length'] !== '0'
  )
    throw new Problem(400, 'not-json', 'Send JSON.');
  if (changes && request.headers['x-nest-mark'] !== '1')
    throw new Problem(
      403,
      'foreign-page',
      'Send the header X-Nest-Mark: 1 with requests that change something.',
    );
  next();
};
