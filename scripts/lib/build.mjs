/** Builds the server's bundle and the interface when their sources changed. */
import { createHash } from 'node:crypto';
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';
import { packFolder } from './pack.mjs';
import { root, serverBundle, setupFolder, webFolder } from './paths.mjs';
import { say, SetupError } from './say.mjs';

const skipped = new Set(['node_modules', 'dist', 'test', '.angular']);

function digestOf(folders) {
  const hash = createHash('sha256');
  const visit = (path) => {
    for (const entry of readdirSync(path, { withFileTypes: true }).sort((a, b) =>
      a.name < b.name ? -1 : 1,
    )) {
      if (skipped.has(entry.name)) continue;
      const inner = join(path, entry.name);
      if (entry.isDirectory()) visit(inner);
      else hash.update(inner.slice(root.length)).update(readFileSync(inner));
    }
  };
  for (const folder of folders) visit(join(root, folder));
  return hash.update(readFileSync(join(root, 'package-lock.json'))).digest('hex');
}

/** Runs a build unless its sources are those of the last one. */
async function whenChanged(name, folders, product, work) {
  const digest = digestOf(folders);
  const stamp = join(setupFolder, name);
  if (existsSync(product) && existsSync(stamp) && readFileSync(stamp, 'utf8') === digest) return;
  await work();
  mkdirSync(setupFolder, { recursive: true });
  writeFileSync(stamp, digest);
}

/** Whether npm put a package into one workspace's own folder, where the bundle would not find it. */
function nested(path, importer) {
  const name = path
    .split('/')
    .slice(0, path.startsWith('@') ? 2 : 1)
    .join('/');
  const workspace = relative(root, importer).split(sep)[0];
  return existsSync(join(root, workspace, 'node_modules', name));
}

/** Our own packages are TypeScript and go into the bundle; the registry's stay outside. */
const registryPackagesOutside = {
  name: 'registry-packages-outside',
  setup: (setup) => {
    setup.onResolve({ filter: /^[^./]/ }, ({ path, kind, importer }) =>
      kind === 'entry-point' || path.startsWith('@nest-mark/') || nested(path, importer)
        ? undefined
        : { path, external: true },
    );
  },
};

async function bundleServer() {
  const { build, stop } = await import('esbuild');
  await build({
    entryPoints: {
      main: join(root, 'server/src/main.ts'),
      // A thread of its own, so a file of its own.
      'search-worker': join(root, 'station/src/net/search-worker.ts'),
    },
    outdir: dirname(serverBundle),
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    sourcemap: true,
    logLevel: 'warning',
    // A package that is bundled may ask for Node's own modules in the old way.
    banner: {
      js: "import { createRequire as nodeRequire } from 'node:module'; const require = nodeRequire(import.meta.url);",
    },
    plugins: [registryPackagesOutside],
  });
  // Its helper process would otherwise run beside the server.
  await stop();
}

async function buildInterface() {
  // Not waited for in one go: the tests run beside it, and what they say has to come through.
  const child = spawn(process.execPath, [join(root, 'node_modules/@angular/cli/bin/ng.js'), 'build'], {
    cwd: join(root, 'web'),
    env: { ...process.env, NG_CLI_ANALYTICS: 'false' },
    stdio: ['ignore', 'ignore', 'inherit'],
  });
  const [code] = await once(child, 'exit');
  if (code !== 0) throw new SetupError('The interface could not be built. Look at the messages above.');
  await packFolder(webFolder);
}

export async function needServer() {
  await whenChanged('server', ['server', 'station', 'stand-in', 'core'], serverBundle, async () => {
    say('building the server');
    await bundleServer();
  });
}

export async function needBuild() {
  await needServer();
  await whenChanged('web', ['web', 'core'], join(webFolder, 'index.html'), () => {
    say('building the interface (about half a minute)');
    return buildInterface();
  });
}
