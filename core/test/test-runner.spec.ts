import { execFile } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';

/** What all tests run in: files share one process, and must not be able to disturb one another by it. */

const scripts = join(__dirname, '../../scripts/lib');
const project = mkdtempSync(join(tmpdir(), 'nest-mark-runner-'));
afterAll(() => rmSync(project, { recursive: true }));

const files = {
  // Tells each time it is loaded, and asks for another one late.
  'src/kept.js': `
    require('node:fs').appendFileSync(__dirname + '/../loaded', 'kept\\n');
    exports.later = () => require('./late').word;`,
  'src/late.js': `exports.word = 'late';`,
  'test/helper.js': `require('node:fs').appendFileSync(__dirname + '/../loaded', 'helper\\n'); exports.seen = [];`,
  'test/a.spec.js': `
    const { seen } = require('./helper');
    it('changes all that it can', () => {
      expect(require('../src/kept')).toBeDefined();
      seen.push('a');
      process.env.LEFT_BEHIND = 'a';
      process.env.HOME = '/nowhere';
      process.chdir('/');
      globalThis.fetch = () => 'mine';
      jest.spyOn(Math, 'random').mockReturnValue(0.5);
      jest.useFakeTimers();
    });
    // The larger file comes first.${' '.repeat(1000)}`,
  'test/b.spec.js': `
    const { seen } = require('./helper');
    it('finds all as it was', async () => {
      expect(require('../src/kept').later()).toBe('late');
      expect(seen).toEqual([]);
      const { LEFT_BEHIND, HOME, FIRST_HOME, FIRST_FOLDER } = process.env;
      expect([LEFT_BEHIND, HOME, process.cwd()]).toEqual([undefined, FIRST_HOME, FIRST_FOLDER]);
      expect(String(fetch)).not.toContain('mine');
      expect(jest.isMockFunction(Math.random)).toBe(false);
      await new Promise((done) => setTimeout(done, 1));
    });`,
};

it('test files find the process as it was, load their helpers anew, and share what the product loads', async () => {
  for (const folder of ['src', 'test']) mkdirSync(join(project, folder));
  for (const [path, text] of Object.entries(files)) writeFileSync(join(project, path), text);
  writeFileSync(
    join(project, 'jest.config.json'),
    JSON.stringify({
      testMatch: ['<rootDir>/test/*.spec.js'],
      transform: {},
      testEnvironment: join(scripts, 'jest-environment.cjs'),
      runtime: join(scripts, 'jest-runtime.cjs'),
    }),
  );
  const { stderr } = await promisify(execFile)(
    process.execPath,
    [require.resolve('jest/bin/jest'), '-i', '--rootDir', project, '-c', join(project, 'jest.config.json')],
    { cwd: project, env: { ...process.env, FIRST_HOME: process.env['HOME'], FIRST_FOLDER: project } },
  );
  expect(stderr).toContain('Tests:       2 passed, 2 total');
  expect(readFileSync(join(project, 'loaded'), 'utf8')).toBe('helper\nkept\nhelper\n');
});
