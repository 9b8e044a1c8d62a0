/**
 * Runs the long random harnesses: the same code as in the tests, with larger counts.
 *
 *   npm run soak                                    all of them, with their usual counts
 *   npm run soak -- model faults                    only those named
 *   npm run soak -- --runs 1000 --seed 42 model     so many cases, and drawn by that seed
 *
 * It tells how far each one is. What failed is repeated by its name, runs and seed.
 */
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { needPackages } from './lib/debian.mjs';
import { needDependencies, needNode } from './lib/deps.mjs';
import { baseImage, root, smallImage } from './lib/paths.mjs';
import { main, say, SetupError } from './lib/say.mjs';

/** Harnesses by name. */
const harnesses = {
  model: 'server/test/model.spec.ts',
  'model-kills': 'server/test/model-kills.spec.ts',
  faults: 'stand-in/test/faults.spec.ts',
  kill: 'stand-in/test/kill.spec.ts',
  'run-once': 'stand-in/test/run-once.spec.ts',
  capacity: 'stand-in/test/capacity.spec.ts',
  'fat-sweep': 'core/test/fat-sweep.spec.ts',
  'two-processes': 'server/test/two-processes.spec.ts',
  'hostile-cards': 'stand-in/test/hostile-cards.spec.ts',
  'check-predicts': 'stand-in/test/check-predicts.spec.ts',
  'methods-predict': 'stand-in/test/methods-predict.spec.ts',
  'secrets-kept': 'core/test/secrets-kept.spec.ts',
  'one-byte': 'core/test/one-byte.spec.ts',
  supplicant: 'core/test/supplicant.spec.ts',
  yaml: 'core/test/yaml.spec.ts',
  'user-data': 'core/test/user-data.spec.ts',
  'network-config': 'core/test/network-config.spec.ts',
  keyfile: 'core/test/keyfile.spec.ts',
  gpt: 'core/test/gpt.spec.ts',
  archives: 'station/test/archives.spec.ts',
  'move-netplan': 'station/test/move-netplan.spec.ts',
  // A Debian by debootstrap, really started; needs root.
  debian: 'stand-in/soak/debian.spec.ts',
  'spoilt-cards': 'stand-in/soak/spoilt-cards.spec.ts',
  'bring-up': 'stand-in/soak/bring-up.spec.ts',
  // An emulated machine with simulated radios; needs root.
  'radio-move': 'stand-in/soak/radio-move.spec.ts',
  'radio-air': 'stand-in/soak/radio-air.spec.ts',
};

const wholeNumber = (name, text) => {
  if (text !== undefined && !/^\d{1,10}$/.test(text))
    throw new SetupError(`--${name} ${text} is not a whole number.`);
  return text;
};

await main(async () => {
  const { values, positionals } = parseArgs({
    options: { runs: { type: 'string' }, seed: { type: 'string' } },
    allowPositionals: true,
  });
  const runs = wholeNumber('runs', values.runs);
  const seed = wholeNumber('seed', values.seed);
  for (const name of positionals)
    if (!(name in harnesses))
      throw new SetupError(`"${name}" is none of ${Object.keys(harnesses).join(', ')}.`);
  const names = positionals.length > 0 ? positionals : Object.keys(harnesses);
  needNode();
  needPackages(names.some((name) => harnesses[name].includes('/soak/')) ? 'soak' : 'test');
  needDependencies();
  const { needServer } = await import('./lib/build.mjs');
  const { makeBaseImage } = await import('./lib/base-image.mjs');
  if (makeBaseImage(baseImage)) say('made the practice image');
  makeBaseImage(smallImage, 'small');
  await needServer();
  const { startPostgres } = await import('./lib/postgres.mjs');
  const cluster = await startPostgres(join(root, 'data/test'), { forTests: true });
  const failed = [];
  try {
    for (const name of names) {
      say(`soaking ${name}`);
      const config = harnesses[name].includes('/soak/') ? ['-c', 'jest.soak.config.mjs'] : [];
      const child = spawn(join(root, 'node_modules/.bin/jest'), [...config, harnesses[name]], {
        cwd: root,
        stdio: ['ignore', 'inherit', 'inherit'],
        env: {
          ...process.env,
          NEST_MARK_TEST_DATABASE: cluster.url('postgres'),
          NEST_MARK_SOAK: '1',
          ...(runs === undefined ? {} : { NEST_MARK_RUNS: runs }),
          ...(seed === undefined ? {} : { NEST_MARK_SEED: seed }),
        },
      });
      const code = await new Promise((done) => child.once('close', done));
      if (code !== 0) failed.push(name);
    }
  } finally {
    if (cluster.startedHere) cluster.stop();
  }
  say(failed.length === 0 ? 'all of them held' : `failed: ${failed.join(', ')}`);
  if (failed.length > 0) process.exitCode = 1;
});
