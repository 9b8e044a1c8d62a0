import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { problemCodes, problems, problemTitle, type ProblemCode } from '@nest-mark/core';
import { openApi, problemsOfRoute } from '../src/platform/http/openapi';
import { endpoints } from './helpers/server';

const root = join(__dirname, '../..');

/** All code of a folder, as one text. */
function codeOf(folder: string): string {
  const files = readdirSync(join(root, folder), { recursive: true, encoding: 'utf8' });
  return files
    .filter((file) => file.endsWith('.ts'))
    .map((file) => readFileSync(join(root, folder, file), 'utf8'))
    .join('\n');
}

const code = `${codeOf('server/src')}\n${codeOf('web/src')}`;

/** Codes that are put together from what somebody else says; the type checker holds the parts together. */
const families = [...code.matchAll(/problem\(`([\w-]+-)\$\{/g)].map(([, start]) => start!);

interface Description {
  paths: Record<
    string,
    Record<string, { responses: Record<string, { description: string; content?: Record<string, unknown> }> }>
  >;
}

const description = openApi(endpoints) as Description;

describe('the catalogue of problems and the code', () => {
  it.each(problemCodes)('%s is told by somebody', (wanted) => {
    const told =
      new RegExp(`\\b(problem|met)\\(\\s*'${wanted}'`).test(code) ||
      families.some((start) => wanted.startsWith(start));
    expect(told).toBe(true);
  });

  it('has no code that is told without it', () => {
    const told = [...code.matchAll(/\b(?:problem|met)\(\s*'([\w-]+)'/g)].map(([, one]) => one!);
    expect(told.length).toBeGreaterThan(70);
    expect(told.filter((one) => !(one in problems))).toEqual([]);
    expect(families.sort()).toEqual(['card-', 'card-', 'subnet-']);
  });

  it('is the only place that problems are made from', () => {
    expect([...code.matchAll(/new Problem\(/g)]).toHaveLength(1);
    expect([...code.matchAll(/new ApiProblem\(/g)]).toHaveLength(2);
  });

  it('has every problem described at some endpoint, but for what no endpoint tells', () => {
    const described = new Set<ProblemCode>(endpoints.flatMap((route) => [...problemsOfRoute(route)]));
    expect(problemCodes.filter((one) => !described.has(one))).toEqual([
      'no-such-path',
      'key-used',
      'unreachable',
      'unsaved',
      'unknown',
      'answer',
    ]);
  });
});

describe('the description of the API', () => {
  it('is a valid OpenAPI 3.1 document, says the schema that the OpenAPI Initiative publishes', () => {
    const folder = mkdtempSync(join(tmpdir(), 'nest-mark-openapi-'));
    try {
      const check = (name: string, document: object): string => {
        const file = join(folder, name);
        writeFileSync(file, JSON.stringify(document));
        return execFileSync(process.execPath, [
          join(root, 'node_modules/@seriousme/openapi-schema-validator/bin/validate-api-cli.js'),
          file,
        ]).toString();
      };
      expect(() => check('good.json', description)).not.toThrow();
      // It would say so if it were not.
      expect(() => check('bad.json', { ...description, openapi: '3.1.0', info: {} })).toThrow();
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  });

  it.each(endpoints.map((route) => [`${route.method} ${route.path}`, route] as const))(
    '%s has a response for each status of its problems, and names their codes',
    (_name, route) => {
      const path = `/api${route.path.replace(/:(\w+)/g, '{$1}')}`;
      const { responses } = description.paths[path]![route.method]!;
      for (const told of problemsOfRoute(route)) {
        const response = responses[String(problems[told].status)]!;
        expect(response.description).toContain(problemTitle(told));
        expect(JSON.stringify(response.content)).toContain(`"${told}"`);
      }
      expect(responses).not.toHaveProperty('default');
    },
  );
});
