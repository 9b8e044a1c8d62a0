/**
 * Plants a violation of each kind and tells which rules of our own find it, as JSON: a lint that finds nothing proves
 * nothing. `core/test/lint.spec.ts` compares.
 */
import { Linter } from 'eslint';
import tseslint from 'typescript-eslint';
import { coreOrder, domains, platformOrder, serverOrder } from './order.mjs';
import { ours } from './rules.mjs';

const linter = new Linter({ configType: 'flat' });

/** What rules find in one of several files that are thought up. @param root of the files' paths */
function found(root, path, files, rules) {
  const messages = linter.verify(
    files[path],
    [{ files: ['**/*.ts'], languageOptions: { parser: tseslint.parser }, plugins: { ours }, rules }],
    { filename: `${root}/${path}` },
  );
  return messages.map(({ ruleId, message }) => `${ruleId ?? 'broken'}: ${message}`);
}

const core = (path, files) =>
  found('core/src', path, files, {
    'ours/arrows': ['error', { root: 'core/src', order: coreOrder, files }],
    'ours/no-circles': ['error', { root: 'core/src', files }],
  });

const server = (path, files) =>
  found('server/src', path, files, {
    'ours/arrows': ['error', { root: 'server/src', order: serverOrder, doors: domains, files }],
    'ours/no-circles': ['error', { root: 'server/src', files }],
    'ours/sql-in-repositories': 'error',
  });

const platform = (path, files) =>
  found('server/src/platform', path, files, {
    'ours/arrows': ['error', { root: 'server/src/platform', order: platformOrder, files }],
  });

const sql = (text) => server('plans/plans.ts', { 'plans/plans.ts': text });

const errors = (text) =>
  found('core/src', 'disk/a.ts', { 'disk/a.ts': text }, { 'ours/named-errors': 'error' });

const planted = {
  'core: up': core('plan/a.ts', { 'plan/a.ts': `import { b } from '../rules/b';`, 'rules/b.ts': '' }),
  'core: up, by a type': core('disk/a.ts', {
    'disk/a.ts': `import type { B } from '../firstboot/b';`,
    'firstboot/b.ts': '',
  }),
  'core: sideways': core('wifi/a.ts', { 'wifi/a.ts': `export * from '../disk/b';`, 'disk/b.ts': '' }),
  'core: a new folder': core('drawer/a.ts', { 'drawer/a.ts': 'export {};' }),
  'core: down': core('rules/a.ts', { 'rules/a.ts': `import { b } from '../plan/b';`, 'plan/b.ts': '' }),
  'core: a circle of two': core('disk/a.ts', {
    'disk/a.ts': `import { b } from './b';`,
    'disk/b.ts': `import type { a } from './a';`,
  }),
  'core: a circle of three': core('disk/c.ts', {
    'disk/a.ts': `import { b } from './b';`,
    'disk/b.ts': `import { c } from './c';`,
    'disk/c.ts': `export { a } from './a';`,
  }),
  'server: up': server('plans/a.ts', {
    'plans/a.ts': `import { b } from '../rounds';`,
    'rounds/index.ts': '',
  }),
  'server: sideways': server('boards/a.ts', {
    'boards/a.ts': `import { b } from '../networks';`,
    'networks/index.ts': '',
  }),
  'server: past the door': server('rounds/a.ts', {
    'rounds/a.ts': `import { b } from '../cards/material';`,
    'cards/material.ts': '',
  }),
  'server: by the door': server('rounds/a.ts', {
    'rounds/a.ts': `import { b } from '../cards';`,
    'cards/index.ts': '',
  }),
  'platform: a domain': server('platform/a.ts', {
    'platform/a.ts': `import { b } from '../plans';`,
    'plans/index.ts': '',
  }),
  'platform: up': platform('http/a.ts', { 'http/a.ts': `import { b } from '../runs/b';`, 'runs/b.ts': '' }),
  'sql: knex(…)': sql(`void knex('batch').select('id');`),
  'sql: this.knex(…)': sql(`class A { f() { return this.knex('batch'); } }`),
  'sql: db(…)': sql(`export const f = (db) => db('batch').where({ id: 1 });`),
  'sql: plans.knex(…)': sql(`export const f = (plans) => plans.knex('batch');`),
  'sql: knex.raw': sql(`export const f = (plans) => plans.knex.raw('select 1');`),
  'sql: db.raw': sql(`export const f = (db) => db.raw('select 1');`),
  'sql: knex.schema': sql(`export const f = (knex) => knex.schema.dropTable('batch');`),
  'sql: a transaction only': sql(`export const f = (plans) => plans.knex.transaction((db) => g(db));`),
  'errors: without a name': errors(`export class DiskError extends Error {}`),
  'errors: of another error, without a name': errors(`class A extends DiskError { readonly code = 'a'; }`),
  'errors: with the name of another': errors(`class A extends Error { override readonly name = 'B'; }`),
  'errors: with its name': errors(`class A extends Error { override readonly name = 'A'; }`),
};

process.stdout.write(JSON.stringify(planted));
