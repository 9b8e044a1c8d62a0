import * as z from 'zod';
import { problems, problemCodes, ProblemSchema, statusTitles, type ProblemCode } from '@nest-mark/core';
import { isSafe, type Route } from './route';

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

/** What any request may be answered. */
const always = [
  'foreign-page',
  'key-needed',
  'bad-address',
  'bad-text',
  'secret-lost',
  'not-storable',
  'internal',
  'database-away',
  'database-full',
  'disk-full',
] as const satisfies readonly ProblemCode[];

/** What a request that changes something may be answered as well. */
const changing = [
  'header-missing',
  'not-json',
  'not-utf8',
  'too-large',
  'too-deep',
] as const satisfies readonly ProblemCode[];

/** Every problem that an endpoint may be answered with. */
export const problemsOfRoute = (route: Route): ReadonlySet<ProblemCode> =>
  new Set<ProblemCode>([
    ...always,
    ...(isSafe(route.method) ? [] : changing),
    ...(route.params || route.query || route.body ? (['invalid'] as const) : []),
    ...route.problems,
  ]);

/** Responses by status, each with the codes that may come with it. */
function problemResponses(route: Route): Record<string, object> {
  const codes = problemsOfRoute(route);
  const byStatus = new Map<keyof typeof statusTitles, ProblemCode[]>();
  // In the catalogue's order, so that the description changes only where something did.
  for (const code of problemCodes.filter((known) => codes.has(known)))
    byStatus.set(problems[code].status, [...(byStatus.get(problems[code].status) ?? []), code]);
  return Object.fromEntries(
    [...byStatus].map(([status, told]) => [
      String(status),
      {
        description: `${statusTitles[status]}: ${told.join(', ')}`,
        content: {
          'application/problem+json': {
            schema: {
              allOf: [
                { $ref: '#/components/schemas/Problem' },
                { properties: { code: { enum: told }, status: { const: status } } },
              ],
            },
          },
        },
      },
    ]),
  );
}

/**
 * The OpenAPI 3.1 description, made from the same schemas that check the messages and from the catalogue of problems
 * (RFC 9457).
 */
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
        ...problemResponses(route),
      },
    };
  }
  const { $schema: _draft, ...problem } = z.toJSONSchema(ProblemSchema);
  return {
    openapi: '3.1.0',
    info: { title: 'Nest Mark', version: '0.1.0' },
    paths,
    components: { schemas: { Problem: problem } },
  };
}
