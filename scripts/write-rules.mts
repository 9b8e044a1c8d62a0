/** Writes docs/rules.md from the list of rules; with --check only says whether it is current. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { planRules } from '@nest-mark/core';

const path = join(import.meta.dirname, '../docs/rules.md');
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

if (!process.argv.includes('--check')) writeFileSync(path, text);
else if (readFileSync(path, 'utf8') !== text) {
  console.error('docs/rules.md is not current. Run: npm run rules');
  process.exitCode = 1;
}
