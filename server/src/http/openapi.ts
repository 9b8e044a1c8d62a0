import * as z from 'zod';
import { ProblemSchema } from '@nest-mark/core';
import type { Route } from './route';

const json = (schema: z.ZodType): object => ({
  'application/json': { schema: z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' }) },
});

function parameters(route: Route): object[] {
  const of = (schema: z.ZodType | null, place: string): object[] =>
    schema instanceof z.ZodObject
      ? Object.entries(schema.shape as Record<string, z.ZodType>).map(([name, part]) => ({
          name,
          in: place,
          required: place === 'path' || !part.safeParse(undefined).success,
          schema: z.toJSONSchema(part, { io: 'input', unrepresentable: 'any' }),
        }))
      : [];
  return [...of(route.params, 'path'), ...of(route.query, 'query')];
}

/** The OpenAPI 3.1 description, made from the same schemas that check the messages. */
export function openApi(routes: readonly Route[]): object {
  const paths: Record<string, Record<string, object>> = {};
  for (const route of routes) {
    const path = `/api${route.path.replace(/:(\w+)/g, '{$1}')}`;
    paths[path] ??= {};
    paths[path][route.method] = {
      summary: route.summary,
      parameters: parameters(route),
      ...(route.body ? { requestBody: { required: true, content: json(route.body) } } : {}),
      responses: {
        [String(route.answer ? route.status : 204)]: {
          description: 'Done',
          ...(route.answer ? { content: json(route.answer) } : {}),
        },
        default: {
          description: 'Problem details (RFC 9457)',
          content: { 'application/problem+json': { schema: z.toJSONSchema(ProblemSchema) } },
        },
      },
    };
  }
  return { openapi: '3.1.0', info: { title: 'Nest Mark', version: '0.1.0' }, paths };
}
