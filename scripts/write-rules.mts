/** Writes docs/rules.md and the schema of plan files from the code; with --check only says whether they are current. */
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { planFileJsonSchema, planRules } from '@nest-mark/core';

const docs = join(import.meta.dirname, '../docs');
const text = [
  '# What is checked in a plan',
  '',
  'Made by `npm run rules` from the list that runs in the browser, on the server and in the tests.',
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

const files: [string, string][] = [
  ['rules.md', text],
  ['plan-file.schema.json', `${JSON.stringify(planFileJsonSchema(), null, 2)}\n`],
];
for (const [name, content] of files) {
  const path = join(docs, name);
  if (!process.argv.includes('--check')) writeFileSync(path, content);
  else if (!existsSync(path) || readFileSync(path, 'utf8') !== content) {
    console.error(`docs/${name} is not current. Run: npm run rules`);
    process.exitCode = 1;
  }
}
