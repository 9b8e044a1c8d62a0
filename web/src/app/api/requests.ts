import { defer, type Observable } from 'rxjs';
import type * as z from 'zod';
import { problemOf, unreachable } from './api-problem';

/**
 * How the server is asked; every answer is checked against the schema that the server uses too. A request is sent when
 * its answer is asked for, not before.
 */

type Method = 'GET' | 'POST' | 'PUT' | 'DELETE';

interface Sent {
  body?: unknown;
  headers?: Record<string, string>;
}

export async function answered(
  method: Method,
  path: string,
  { body, headers = {} }: Sent,
): Promise<Response> {
  const all: Record<string, string> = { ...headers };
  if (method !== 'GET') all['X-Nest-Mark'] = '1';
  if (body !== undefined) all['Content-Type'] = 'application/json';
  const response = await fetch(`/api${path}`, {
    method,
    headers: all,
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  }).catch(() => {
    throw unreachable();
  });
  if (!response.ok) throw await problemOf(response);
  return response;
}

export const call = <T>(method: Method, path: string, schema: z.ZodType<T>, sent: Sent = {}): Observable<T> =>
  defer(async () => schema.parse(await (await answered(method, path, sent)).json()));

export const order = (method: Method, path: string, sent: Sent = {}): Observable<void> =>
  defer(async () => {
    await answered(method, path, sent);
  });

/** A file as the server makes it, with the name that it gives it. */
export interface MadeFile {
  name: string;
  content: Blob;
}

export const file = (method: Method, path: string, sent: Sent = {}): Observable<MadeFile> =>
  defer(async () => {
    const response = await answered(method, path, sent);
    const name = /filename="([^"]+)"/.exec(response.headers.get('Content-Disposition') ?? '')?.[1];
    return { name: name ?? 'file', content: await response.blob() };
  });

/** Work that must not be started twice by a repeated request. */
export const once = (): Record<string, string> => ({ 'Idempotency-Key': crypto.randomUUID() });
