/** Installs npm's packages when the lock file changed. */
import { createHash } from 'node:crypto';
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { root, setupFolder } from './paths.mjs';
import { say, SetupError } from './say.mjs';

export function needNode() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19))
    throw new SetupError(`Node ${process.versions.node} is too old: 20.19 or newer is needed.`);
}

/** Whether npm has installed just what the lock file asks for, by what it wrote down itself. */
function installed() {
  const record = join(root, 'node_modules/.package-lock.json');
  if (!existsSync(record)) return false;
  const read = (path) => JSON.parse(readFileSync(path, 'utf8')).packages ?? {};
  const [wanted, there] = [read(join(root, 'package-lock.json')), read(record)];
  return Object.entries(wanted).every(([path, { version, optional, link }]) => {
    // The project itself and its own packages; those for other kinds of machines are left out.
    if (path === '' || link || !path.includes('node_modules/')) return true;
    if (!there[path]) return optional === true;
    return there[path].version === version && existsSync(join(root, path, 'package.json'));
  });
}

export function needDependencies() {
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  const stamp = join(setupFolder, 'lock');
  if (existsSync(join(root, 'node_modules')) && existsSync(stamp) && readFileSync(stamp, 'utf8') === lock)
    return;
  // A copy of the project whose packages came along.
  if (installed()) {
    mkdirSync(setupFolder, { recursive: true });
    writeFileSync(stamp, lock);
    return;
  }
  say('installing npm packages (one to three minutes)');
  const result = spawnSync('npm', ['ci', '--no-progress', '--no-audit', '--no-fund', '--loglevel=error'], {
    cwd: root,
    stdio: ['ignore', 'inherit', 'inherit'],
  });
  if (result.status !== 0)
    throw new SetupError('npm ci failed. Look at the messages above; is the network there?');
  mkdirSync(setupFolder, { recursive: true });
  writeFileSync(stamp, lock);
}
