import type { IncomingHttpHeaders } from 'node:http';
import type { RequestHandler } from 'express';
import { problem, type Problem } from './problems';

/** Names under which a program on this machine may be asked. */
const localNames = new Set(['127.0.0.1', 'localhost', '[::1]']);

const nameOf = (host: string): string => host.replace(/:\d+$/, '');

const foreignPage = (): Problem => problem('foreign-page');

/** Whether a request comes under a name of this machine, from a page of ours or from none. */
export const isOwnPage = ({ host = '', origin }: IncomingHttpHeaders): boolean =>
  localNames.has(nameOf(host)) && (origin === undefined || origin === `http://${host}`);

/** Answers only under names of this machine: a name of another site that was made to lead here gets nothing. */
export const ownName: RequestHandler = (request, _response, next) => {
  if (!localNames.has(nameOf(request.headers.host ?? ''))) throw foreignPage();
  next();
};

/**
 * Lets only this machine's own pages in. A page from elsewhere in the same browser could otherwise drive a
 * program that can erase disks (cross-site requests, DNS rebinding).
 */
export const sameMachine: RequestHandler = (request, _response, next) => {
  const host = request.headers.host ?? '';
  const origin = request.headers.origin;
  const foreign =
    (origin !== undefined && origin !== `http://${host}`) ||
    // "same-site" is another port or another name of this machine: not a page of ours either.
    !['same-origin', 'none', undefined].includes(request.get('sec-fetch-site'));
  if (foreign) throw foreignPage();
  const changes = !['GET', 'HEAD', 'OPTIONS'].includes(request.method);
  // A form of another site can post text, but not JSON, nor a file as it is sent to the shelf.
  if (
    changes &&
    !request.is(['application/json', 'application/offset+octet-stream']) &&
    request.headers['content-length'] !== undefined &&
    request.headers['content-length'] !== '0'
  )
    throw problem('not-json');
  if (changes && request.headers['x-nest-mark'] !== '1') throw problem('header-missing');
  next();
};
