import ngrx from '@ngrx/eslint-plugin/v9';
import angular from 'angular-eslint';
import tseslint from 'typescript-eslint';
import { coreOrder, domains, platformOrder, serverOrder } from './scripts/lint/order.mjs';
import { ours as rules } from './scripts/lint/rules.mjs';

/**
 * What oxlint has no rules for: the project's own, Angular's and NgRx's. It does without types, which cost ten times as
 * long; what needs them, and the usual ones, oxlint looks at by `.oxlintrc.json`.
 */

/** Imports that would run against the direction of docs/architecture.md. */
const forbid = (...patterns) => ({
  'no-restricted-imports': ['error', { patterns: patterns.map(([regex, message]) => ({ regex, message })) }],
});
const nodeBuiltIns = ['^(node:.*|fs|path|crypto|net|os)$', 'no I/O here; take it as an argument'];
const ours = (names, message) => [`^@nest-mark/(${names.join('|')})(/|$)`, message];

export default tseslint.config(
  {
    ignores: [
      '**/node_modules/',
      '**/dist/',
      '**/.angular/',
      'data/',
      'coverage/',
      'test-results/',
      'playwright-report/',
      'stand-in/.kill-*',
    ],
  },
  {
    files: ['*/src/**/*.ts'],
    languageOptions: { parser: tseslint.parser },
  },
  {
    files: ['core/src/**/*.ts'],
    rules: {
      ...forbid(nodeBuiltIns, ours(['station', 'stand-in', 'server', 'web'], 'the core is at the bottom')),
      'no-restricted-globals': [
        'error',
        'process',
        'Buffer',
        'window',
        'document',
        'fetch',
        'setTimeout',
        'setInterval',
      ],
      'no-restricted-properties': [
        'error',
        { object: 'Date', property: 'now', message: 'the core has no clock; take the time as an argument' },
        {
          object: 'Math',
          property: 'random',
          message: 'the core draws nothing; take the drawing as an argument',
        },
      ],
    },
  },
  {
    files: ['station/src/**/*.ts'],
    rules: forbid(ours(['stand-in', 'server', 'web'], 'the station knows the core only')),
  },
  {
    files: ['stand-in/src/**/*.ts'],
    rules: forbid(
      ours(['server', 'web'], 'the stand-in implements the station’s ports and knows nobody above'),
      [
        '^@nest-mark/(core|station)$',
        'stand-in boards read cards with their own rules: core/disk, core/api and the ports only',
      ],
    ),
  },
  {
    files: ['server/src/**/*.ts'],
    rules: forbid(ours(['web'], 'the server knows nothing of the page')),
  },
  {
    files: ['core/src/**/*.ts'],
    plugins: { ours: rules },
    rules: {
      'ours/arrows': ['error', { root: 'core/src', order: coreOrder }],
      'ours/no-circles': ['error', { root: 'core/src' }],
    },
  },
  {
    files: ['server/src/**/*.ts'],
    plugins: { ours: rules },
    rules: {
      'ours/arrows': ['error', { root: 'server/src', order: serverOrder, doors: domains }],
      'ours/no-circles': ['error', { root: 'server/src' }],
    },
  },
  {
    files: ['server/src/platform/**/*.ts'],
    plugins: { platform: rules },
    rules: { 'platform/arrows': ['error', { root: 'server/src/platform', order: platformOrder }] },
  },
  {
    files: ['server/src/**/*.ts'],
    // Where the database is asked: repositories, and what makes its tables.
    ignores: ['**/repository.ts', '**/*-repository.ts', 'server/src/platform/database/**'],
    rules: { 'ours/sql-in-repositories': 'error' },
  },
  {
    files: ['*/src/**/*.ts'],
    plugins: { ours: rules },
    rules: { 'ours/named-errors': 'error' },
  },
  ...['station', 'stand-in'].map((name) => ({
    files: [`${name}/src/**/*.ts`],
    plugins: { ours: rules },
    rules: { 'ours/no-circles': ['error', { root: `${name}/src` }] },
  })),
  {
    files: ['web/src/**/*.ts'],
    plugins: { ours: rules },
    rules: { 'ours/no-circles': ['error', { root: 'web/src' }] },
  },
  {
    files: ['web/src/**/*.ts'],
    extends: [
      ...angular.configs.tsRecommended,
      ...ngrx.configs.store,
      ...ngrx.configs.effects,
      ...ngrx.configs.operators,
    ],
    processor: angular.processInlineTemplates,
    rules: {
      ...forbid(nodeBuiltIns, ours(['station', 'stand-in', 'server'], 'the page knows the core only')),
      '@angular-eslint/component-selector': ['error', { type: 'element', prefix: 'nm', style: 'kebab-case' }],
      '@angular-eslint/prefer-on-push-component-change-detection': 'error',
      '@angular-eslint/component-class-suffix': 'off',
      '@ngrx/prefer-effect-callback-in-block-statement': 'off',
    },
  },
  {
    files: ['web/**/*.html'],
    extends: [...angular.configs.templateRecommended, ...angular.configs.templateAccessibility],
  },
);
