import { from, type Observable } from 'rxjs';
import type * as z from 'zod';
import { problemOf, unreachable } from './api-problem';

/** How the server is asked; every answer is checked against the schema that the server uses too. */

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
  from(answered(method, path, sent).then(async (response) => schema.parse(await response.json())));

export const order = (method: Method, path: string, sent: Sent = {}): Observable<void> =>
  from(answered(method, path, sent).then(() => undefined));

/** Work that must not be started twice by a repeated request. */
export const once = (): Record<string, string> => ({ 'Idempotency-Key': crypto.randomUUID() });

/** Sends octets instead of JSON. */
export const pieceSent = <T>(path: string, piece: Blob, schema: z.ZodType<T>): Observable<T> =>
  from(
    fetch(`/api${path}`, {
      method: 'PUT',
      headers: { 'X-Nest-Mark': '1', 'Content-Type': 'application/octet-stream' },
      body: piece,
    })
      .catch(() => {
        throw unreachable();
      })
      .then(async (response) => {
        if (!response.ok) throw await problemOf(response);
        return schema.parse(await response.json());
      }),
  );
