/**
 * Sets up what tests need, then runs everything: types, lint and formatting, unit and integration tests, end-to-end
 * tests in Chromium. Ends with one line, "N passed, N failed", over all of them.
 *
 *   npm test                        everything
 *   npm test -- --only unit         static | unit | e2e
 *   npm test -- --only e2e -- FILE  what follows goes to the runner
 */
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { needDependencies, needNode } from './lib/deps.mjs';
import { needPackages } from './lib/debian.mjs';
import { baseImage, root } from './lib/paths.mjs';
import { main, say, SetupError } from './lib/say.mjs';

const reports = join(root, 'test-results');
const bin = (name) => join(root, 'node_modules/.bin', name);

/** Runs a program to its end. @returns its exit code */
const run = (command, args, env = {}) =>
  new Promise((done) => {
    const child = spawn(command, args, {
      cwd: root,
      stdio: ['ignore', 'inherit', 'inherit'],
      env: { ...process.env, ...env },
    });
    child.once('error', (error) => {
      console.error(error.message);
      done(1);
    });
    child.once('close', (code) => done(code ?? 1));
  });

const tally = { passed: 0, failed: 0 };
const count = (passed, failed) => {
  tally.passed += passed;
  tally.failed += failed;
};

async function statics() {
  const checks = [
    ['types of the core', bin('tsc'), ['-p', 'core/tsconfig.json']],
    ['types of station, stand-in, server and tests', bin('tsc'), ['-p', 'tsconfig.json']],
    ['types of the interface and its templates', bin('ngc'), ['-p', 'web/tsconfig.json', '--noEmit']],
    ['lint', bin('eslint'), ['.', '--max-warnings', '0']],
    ['docs/rules.md', bin('tsx'), ['scripts/write-rules.mts', '--check']],
    ['formatting', bin('prettier'), ['--check', '--log-level', 'warn', '.']],
  ];
  for (const [name, command, args] of checks) {
    say(`checking ${name}`);
    const good = (await run(command, args)) === 0;
    if (!good) console.error(`FAILED: ${name}`);
    count(good ? 1 : 0, good ? 0 : 1);
  }
}

/** A report that a runner wrote, or null when it broke before it could. */
const report = (path) => (existsSync(path) ? JSON.parse(readFileSync(path, 'utf8')) : null);

async function unit(env, rest) {
  say('running unit and integration tests');
  const path = join(reports, 'unit.json');
  const args = ['--max-workers=2', '--json', `--outputFile=${path}`, ...rest];
  const code = await run(bin('jest'), args, env);
  const result = report(path);
  count(
    result?.numPassedTests ?? 0,
    (result?.numFailedTests ?? 0) + (result?.numRuntimeErrorTestSuites ?? 0),
  );
  if (code !== 0 && !(result?.numFailedTests || result?.numRuntimeErrorTestSuites)) count(0, 1);
}

async function endToEnd(env, rest) {
  say('running end-to-end tests in Chromium');
  const path = join(reports, 'e2e.json');
  const code = await run(bin('playwright'), ['test', '-c', 'e2e/playwright.config.ts', ...rest], {
    ...env,
    PLAYWRIGHT_JSON_OUTPUT_NAME: path,
  });
  const { expected = 0, unexpected = 0, flaky = 0 } = report(path)?.stats ?? {};
  count(expected + flaky, unexpected);
  if (code !== 0 && unexpected === 0) count(0, 1);
}

await main(async () => {
  const { values, positionals } = parseArgs({
    options: { only: { type: 'string' } },
    allowPositionals: true,
  });
  const wanted = (name) => values.only === undefined || values.only === name;
  if (!['static', 'unit', 'e2e', undefined].includes(values.only))
    throw new SetupError(`--only ${values.only} is not one of static, unit, e2e.`);
  needNode();
  needPackages('test');
  needDependencies();
  const { needBuild } = await import('./lib/build.mjs');
  const { makeBaseImage } = await import('./lib/base-image.mjs');
  rmSync(reports, { recursive: true, force: true });
  mkdirSync(reports, { recursive: true });
  if (wanted('static')) await statics();
  if (wanted('unit') || wanted('e2e')) {
    if (makeBaseImage(baseImage)) say('made the practice image');
    const { needServer } = await import('./lib/build.mjs');
    await needServer();
    const { startPostgres } = await import('./lib/postgres.mjs');
    const cluster = await startPostgres(join(root, 'data/test'), { forTests: true });
    const env = { NEST_MARK_TEST_DATABASE: cluster.url('postgres') };
    try {
      if (wanted('unit')) await unit(env, positionals);
      if (wanted('e2e')) {
        await needBuild();
        await endToEnd(env, positionals);
      }
    } finally {
      if (cluster.startedHere) cluster.stop();
    }
  }
  if (tally.failed > 0 || tally.passed === 0) process.exitCode = 1;
  console.log(`${tally.passed} passed, ${tally.failed} failed`);
});
