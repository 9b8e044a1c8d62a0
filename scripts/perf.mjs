/** Measures what speed is promised for, as ratios within one run. Sets up what it needs, as npm test does. */
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { needDependencies, needNode } from './lib/deps.mjs';
import { needPackages } from './lib/debian.mjs';
import { baseImage, root } from './lib/paths.mjs';
import { main } from './lib/say.mjs';

await main(async () => {
  needNode();
  needPackages('test');
  needDependencies();
  const { needBuild } = await import('./lib/build.mjs');
  await needBuild();
  const { makeBaseImage } = await import('./lib/base-image.mjs');
  makeBaseImage(baseImage);
  const { status } = spawnSync(
    join(root, 'node_modules/.bin/tsx'),
    ['perf/main.mts', ...process.argv.slice(2)],
    {
      cwd: root,
      stdio: 'inherit',
    },
  );
  process.exitCode = status ?? 1;
});
