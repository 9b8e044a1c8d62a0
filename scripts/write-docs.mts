/** Writes docs/guide.md, docs/rules.md, docs/errors.md and the schema of plan files from the code; with --check only says whether they are current. */
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  ownMethodJsonSchema,
  planFileJsonSchema,
  planRules,
  problemDomains,
  statusTitles,
  type ProblemCode,
  type ProblemEntry,
} from '@nest-mark/core';
import { guide } from '@nest-mark/core/guide';
import { allRoutes, type Domains } from '../server/src/compose';
import { problemsOfRoute } from '../server/src/platform/http/openapi';

const docs = join(import.meta.dirname, '../docs');

const rules = [
  '# What is checked in a plan',
  '',
  'Made by `npm run docs` from the list that runs in the browser, on the server and in the tests.',
  '',
  ...planRules.flatMap(({ id, title, why, source }) => [
    `## ${title}`,
    '',
    why,
    '',
    `Rule \`${id}\`. Source: ${source}.`,
    '',
  ]),
].join('\n');

const guidance = [
  '# From an unopened box to the handed-over board',
  '',
  'Made by `npm run docs` from what the program shows under _Guide_. Numbers without a source are common practice; local rules on power and radio go before anything said here.',
  '',
  ...guide.flatMap(({ title, steps }, index) => [
    `## ${String(index + 1)}. ${title}`,
    '',
    ...steps.map((step) => `- ${step.do}${step.why === undefined ? '' : ` _${step.why}_`}`),
    '',
  ]),
].join('\n');

const handled: Record<ProblemEntry['handling'], string> = {
  show: '',
  wait: ' The browser tries again by itself until it is over.',
  reload: ' The browser offers what was saved instead.',
  'go-on': ' The browser asks how far the server is, and goes on from there.',
};

/** Endpoints by code; what they do is not wanted here. */
const endpoints = allRoutes({} as Domains).map((route) => ({
  name: `\`${route.method.toUpperCase()} ${route.path}\``,
  codes: problemsOfRoute(route),
}));

/** Where a problem is told; nothing for what any request may be answered. */
function toldBy(code: ProblemCode): string[] {
  const names = endpoints.filter(({ codes }) => codes.has(code)).map(({ name }) => name);
  return names.length === 0 || names.length > endpoints.length / 2
    ? []
    : [`Told by ${names.join(', ')}.`, ''];
}

/** Places as a reader sees them: in angle brackets, which no text has. */
const shown = (text: string): string => text.replace(/\{(\w+)\}/g, '‹$1›');

const errors = [
  '# What can go wrong, and what to do',
  '',
  'Made by `npm run docs` from the catalogue that the server and the browser take their sentences from. A problem comes as RFC 9457 problem details; its code is stable, its `detail` is what is written here, with what differs filled in at ‹…›.',
  '',
  ...Object.entries(problemDomains).flatMap(([domain, entries]) => [
    `## ${domain}`,
    '',
    ...Object.entries<ProblemEntry>(entries).flatMap(([code, { status, unharmed, says, todo, handling }]) => [
      `### \`${code}\``,
      '',
      `${status === 0 ? 'Told by the browser itself.' : `Status ${String(status)}, ${statusTitles[status].toLowerCase()}.`}${handled[handling]}`,
      '',
      ...[
        ['Not harmed', unharmed],
        ['What is wrong', says],
        ['What to do', todo],
      ].flatMap(([what, text]) => (text ? [`- ${what}: ${shown(text)}`] : [])),
      '',
      ...toldBy(code as ProblemCode),
    ]),
  ]),
].join('\n');

const files: [string, string][] = [
  ['guide.md', guidance],
  ['rules.md', rules],
  ['errors.md', errors],
  ['own-method.schema.json', `${JSON.stringify(ownMethodJsonSchema(), null, 2)}\n`],
  ['plan-file.schema.json', `${JSON.stringify(planFileJsonSchema(), null, 2)}\n`],
];
for (const [name, content] of files) {
  const path = join(docs, name);
  if (!process.argv.includes('--check')) writeFileSync(path, content);
  else if (!existsSync(path) || readFileSync(path, 'utf8') !== content) {
    console.error(`docs/${name} is not current. Run: npm run docs`);
    process.exitCode = 1;
  }
}
