import type { Request, Response, Router } from 'express';
import * as z from 'zod';
import type { InFlight } from './in-flight';
import type { ProblemCode } from '@nest-mark/core';

type Method = 'get' | 'head' | 'options' | 'post' | 'put' | 'patch' | 'delete';

/** Whether a method only looks (RFC 9110, 9.2.1). */
export const isSafe = (method: Method): boolean => ['get', 'head', 'options'].includes(method);

/** What a handler gets: everything validated. */
interface Call<Params, Query, Body> {
  params: Params;
  query: Query;
  body: Body;
  request: Request;
  response: Response;
  /** Whose request it is, in words. */
  who: string;
}

/** One endpoint: its place, the schemas of both directions, and what it does. */
export interface Route {
  method: Method;
  /** Path below /api with `:name` for parameters. */
  path: string;
  summary: string;
  params: z.ZodType | null;
  query: z.ZodType | null;
  body: z.ZodType | null;
  /** Null for an answer that is not JSON. */
  answer: z.ZodType | null;
  status: number;
  /** What it may be answered besides what any request may be. */
  problems: readonly ProblemCode[];
  run(call: Call<unknown, unknown, unknown>): Promise<unknown>;
}

interface Definition<P extends z.ZodType, Q extends z.ZodType, B extends z.ZodType, A extends z.ZodType> {
  method: Method;
  path: string;
  summary: string;
  params?: P;
  query?: Q;
  body?: B;
  answer?: A;
  status?: number;
  problems?: readonly ProblemCode[];
  run(call: Call<z.infer<P>, z.infer<Q>, z.infer<B>>): Promise<z.infer<A> | void>;
}

/** Defines an endpoint with types taken from its schemas. */
export function route<P extends z.ZodType, Q extends z.ZodType, B extends z.ZodType, A extends z.ZodType>(
  definition: Definition<P, Q, B, A>,
): Route {
  const {
    params = null,
    query = null,
    body = null,
    answer = null,
    status = 200,
    problems = [],
    ...rest
  } = definition;
  return {
    ...rest,
    params,
    query,
    body,
    answer,
    status,
    problems,
    run: (call) => definition.run(call as Call<z.infer<P>, z.infer<Q>, z.infer<B>>),
  };
}

/** Path parameter `id`. */
export const IdSchema = z.object({ id: z.uuid() });

/** Notes whose request it is. */
export const noteWho = (response: Response, who: string): void => {
  response.locals['who'] = who;
};

const whoAsks = ({ locals }: Response): string => {
  const who: unknown = locals['who'];
  return typeof who === 'string' ? who : 'somebody on this computer';
};

/** Adds endpoints to a router; wrong requests become a ZodError, which the problem handler explains. */
export function mount(router: Router, routes: readonly Route[], inFlight: InFlight): void {
  for (const entry of routes)
    router[entry.method](entry.path, async (request: Request, response: Response) => {
      const call = {
        params: entry.params?.parse(request.params),
        query: entry.query?.parse(request.query),
        body: entry.body?.parse(request.body),
        request,
        response,
        who: whoAsks(response),
      };
      const answer = await inFlight.follow(entry.run(call));
      if (response.headersSent) return;
      // The answer is checked as well: nothing leaves that the schema does not name, secrets above all.
      if (entry.answer) response.status(entry.status).json(entry.answer.parse(answer));
      else response.status(204).end();
    });
}
