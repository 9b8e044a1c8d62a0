/**
 * Sets up what tests need, then runs everything: unit and integration tests and end-to-end tests in Chromium, and beside
 * them types, lint and formatting. Tells the twenty slowest. Ends with one line, "N passed, N failed", over all of them.
 *
 *   npm test                        each kind of check
 *   npm test -- --rest              what that leaves out, and nothing else; CI runs both
 *   npm test -- --long              both, and as many boards as a bench has
 *   npm test -- --only unit         static | unit | e2e
 *   npm test -- --only e2e -- FILE  what follows goes to the runner
 */
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { join, relative } from 'node:path';
import { parseArgs } from 'node:util';
import { needDependencies, needNode } from './lib/deps.mjs';
import { needNetworkPrograms, needPackages } from './lib/debian.mjs';
import { baseImage, root, smallImage } from './lib/paths.mjs';
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

/** Makes the practice images in processes of their own. @returns whether both are there */
async function practiceImages() {
  const program = join(root, 'scripts/lib/base-image.mjs');
  const kinds = [
    [baseImage, 'whole'],
    [smallImage, 'small'],
  ];
  const codes = await Promise.all(kinds.map((kind) => run(process.execPath, [program, ...kind])));
  return codes.every((code) => code === 0);
}

/** @param built builds the interface, which looks at its templates */
async function statics(built) {
  const ends = (command, args) => async () => (await run(bin(command), args)) === 0;
  const checks = [
    ['the interface’s templates, by building it', built],
    ['types, and lint that needs them', ends('oxlint', ['--deny-warnings'])],
    ['lint of our own, of Angular and NgRx', ends('eslint', ['.', '--max-warnings', '0'])],
    ['docs that are made from the code', ends('tsx', ['scripts/write-docs.mts', '--check'])],
    ['formatting', ends('oxfmt', ['--check', '.'])],
  ];
  for (const [name, check] of checks) {
    say(`checking ${name}`);
    const good = await check();
    if (!good) console.error(`FAILED: ${name}`);
    count(good ? 1 : 0, good ? 0 : 1);
  }
}

/** A report that a runner wrote, or null when it broke before it could. */
const report = (path) => (existsSync(path) ? JSON.parse(readFileSync(path, 'utf8')) : null);

/** What took longest, over all runners: where time can be saved. */
const took = [];

function tellSlowest() {
  if (took.length === 0) return;
  say('the twenty slowest');
  for (const { name, seconds } of took.sort((a, b) => b.seconds - a.seconds).slice(0, 20))
    console.log(`${seconds.toFixed(1).padStart(7)} s  ${name}`);
}

/**
 * Thousands of programs are started, each by copying the page tables of a large process: with large pages there are
 * fewer to copy (glibc manual, "Memory Allocation Tunables").
 */
const largePages = { GLIBC_TUNABLES: 'glibc.malloc.hugetlb=1' };

/** Test files in which something is `long`, and the end of its name that tells it (core/test/helpers/long.ts). */
const longFiles = () =>
  ['core', 'station', 'stand-in', 'server', 'web']
    .flatMap((name) => readdirSync(join(root, name, 'test')).map((file) => join(root, name, 'test', file)))
    .filter((path) => path.endsWith('.spec.ts') && /\bhelpers\/long'/.test(readFileSync(path, 'utf8')));
const longName = String.raw`\(long\)$`;

async function unit(env, only, more) {
  say('running unit and integration tests');
  const path = join(reports, 'unit.json');
  const where = more.length > 0 ? more : only ? ['--runTestsByPath', ...longFiles()] : [];
  const args = [
    '--max-workers=3',
    '--json',
    `--outputFile=${path}`,
    ...(only ? ['--testNamePattern', longName] : []),
    ...where,
  ];
  const code = await run(bin('jest'), args, { ...env, ...largePages });
  const result = report(path);
  count(
    result?.numPassedTests ?? 0,
    (result?.numFailedTests ?? 0) + (result?.numRuntimeErrorTestSuites ?? 0),
  );
  if (code !== 0 && !(result?.numFailedTests || result?.numRuntimeErrorTestSuites)) count(0, 1);
  for (const { name, startTime, endTime } of result?.testResults ?? [])
    took.push({ name: relative(root, name), seconds: (endTime - startTime) / 1000 });
}

/** Every single test of a Playwright report. */
const testsOf = ({ suites = [], specs = [] }) => [...specs, ...suites.flatMap(testsOf)];

/** Error and page of a failed test without what is around every page; it was taken after the test’s server had ended. */
function tellPage(text) {
  const page = text.indexOf('# Page snapshot');
  const main = text.indexOf('- main', page);
  console.log(
    page < 0 || main < 0 ? text.slice(0, 6000) : text.slice(0, page) + text.slice(main, main + 6000),
  );
}

async function endToEnd(env, only, more) {
  say('running end-to-end tests in Chromium');
  const path = join(reports, 'e2e.json');
  const chosen = only ? ['--grep', '@long'] : [];
  const code = await run(bin('playwright'), ['test', '-c', 'e2e/playwright.config.ts', ...chosen, ...more], {
    ...env,
    ...largePages,
    PLAYWRIGHT_JSON_OUTPUT_NAME: path,
  });
  const result = report(path);
  const { expected = 0, unexpected = 0, flaky = 0 } = result?.stats ?? {};
  count(expected + flaky, unexpected);
  if (code !== 0 && unexpected === 0) count(0, 1);
  for (const { title, file, tests } of testsOf(result ?? {}))
    for (const { results } of tests) {
      took.push({
        name: `e2e/${file}: ${title}`,
        seconds: results.reduce((sum, { duration }) => sum + duration, 0) / 1000,
      });
      // What stood on the screen, for whoever has only what was printed.
      for (const { attachments = [] } of results)
        for (const { name, path } of attachments)
          if (name === 'error-context' && path) tellPage(readFileSync(path, 'utf8'));
    }
}

await main(async () => {
  const { values, positionals } = parseArgs({
    options: {
      only: { type: 'string' },
      long: { type: 'boolean', default: false },
      rest: { type: 'boolean', default: false },
    },
    allowPositionals: true,
  });
  const { long, rest } = values;
  // What `static` looks at is never long.
  const parts = rest ? ['unit', 'e2e'] : ['static', 'unit', 'e2e'];
  const wanted = (name) => parts.includes(name) && (values.only === undefined || values.only === name);
  if (values.only !== undefined && !parts.includes(values.only))
    throw new SetupError(
      `--only ${values.only} is not one of ${parts.join(', ')}${rest ? ' (with --rest)' : ''}.`,
    );
  needNode();
  needPackages('test');
  if (wanted('unit')) needNetworkPrograms();
  // They need nothing of npm's, which mostly waits for the network.
  const images = wanted('unit') || wanted('e2e') ? practiceImages() : null;
  needDependencies();
  const { needBuild, needServer } = await import('./lib/build.mjs');
  rmSync(reports, { recursive: true, force: true });
  mkdirSync(reports, { recursive: true });
  await needServer();
  // They wait for nothing, and the tests wait a lot: side by side they fill two cores.
  let building = null;
  const built = () =>
    (building ??= needBuild().then(
      () => true,
      (error) => {
        console.error(error.message);
        return false;
      },
    ));
  const checked = wanted('static') ? statics(built) : Promise.resolve();
  if (wanted('unit') || wanted('e2e')) {
    if (!(await images)) throw new SetupError('A practice image could not be made; the reason stands above.');
    const { startPostgres } = await import('./lib/postgres.mjs');
    const cluster = await startPostgres(join(root, 'data/test'), { forTests: true });
    const env = {
      NEST_MARK_TEST_DATABASE: cluster.url('postgres'),
      ...(long || rest ? { NEST_MARK_LONG: '1' } : {}),
    };
    try {
      if (wanted('unit')) await unit(env, rest, positionals);
      if (wanted('e2e')) {
        if (await built()) await endToEnd(env, rest, positionals);
        else count(0, 1);
      }
    } finally {
      if (cluster.startedHere) cluster.stop();
    }
  }
  await checked;
  tellSlowest();
  if (!long && !rest) say('what takes long was left out; npm test -- --rest runs it');
  if (tally.failed > 0 || tally.passed === 0) process.exitCode = 1;
  console.log(`${tally.passed} passed, ${tally.failed} failed`);
});
