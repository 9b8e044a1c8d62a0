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

export function needDependencies() {
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  const stamp = join(setupFolder, 'lock');
  if (existsSync(join(root, 'node_modules')) && existsSync(stamp) && readFileSync(stamp, 'utf8') === lock)
    return;
  say('installing npm packages (one to three minutes)');
  const result = spawnSync('npm', ['ci', '--no-progress', '--loglevel=error'], {
    cwd: root,
    stdio: ['ignore', 'inherit', 'inherit'],
  });
  if (result.status !== 0)
    throw new SetupError('npm ci failed. Look at the messages above; is the network there?');
  mkdirSync(setupFolder, { recursive: true });
  writeFileSync(stamp, lock);
}
