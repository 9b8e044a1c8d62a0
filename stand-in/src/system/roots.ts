import { createHash } from 'node:crypto';
import { chmod, lstat, mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { existsSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { removeRoot } from '../board/sandbox';

/**
 * Where the boards of a bench have their systems. Account numbers of their own have to get there, so it is not the data
 * folder, which is closed to everybody; nobody can list it, and its name is drawn.
 */

const PREFIX = 'nest-mark-boards-';
/** In each such folder: whose it is. */
const OWNER = 'bench';

const isOurs = async (folder: string): Promise<boolean> => {
  const facts = await lstat(folder).catch(() => null);
  return facts !== null && facts.isDirectory() && facts.uid === (process.getuid?.() ?? -1);
};

async function removeAll(folder: string): Promise<void> {
  for (const name of await readdir(folder)) await removeRoot(join(folder, name));
  await rm(folder, { recursive: true, force: true });
}

/** Takes away what benches left behind that are there no more. */
async function sweep(): Promise<void> {
  for (const name of await readdir(tmpdir())) {
    const folder = join(tmpdir(), name);
    if (!name.startsWith(PREFIX) || !(await isOurs(folder))) continue;
    const owner = await readFile(join(folder, OWNER), 'utf8').catch(() => null);
    if (owner !== null && !existsSync(owner)) await removeAll(folder).catch(() => undefined);
  }
}

/**
 * The folder of a bench's systems: the one that it had, or a new one.
 * @param bench file by which the bench is known; when it is gone, the folder is swept away
 * @param kept the one that it had
 */
export async function openRoots(bench: string, kept: string | null): Promise<string> {
  await sweep().catch(() => undefined);
  if (
    kept !== null &&
    (await isOurs(kept)) &&
    (await readFile(join(kept, OWNER), 'utf8').catch(() => '')) === bench
  )
    return kept;
  const folder = await mkdtemp(join(tmpdir(), PREFIX));
  await writeFile(join(folder, OWNER), bench, { mode: 0o600 });
  await chmod(folder, 0o711);
  return folder;
}

/** The root of one writing of a card in one board. */
export const rootFor = (folder: string, nest: string, writing: string): string =>
  join(folder, `${nest}-${createHash('sha256').update(writing).digest('hex').slice(0, 24)}`);

/** Removes the systems that a board had from other cards. */
export async function removeOthers(folder: string, nest: string, root: string): Promise<void> {
  for (const name of await readdir(folder))
    if (name.startsWith(`${nest}-`) && join(folder, name) !== root) await removeRoot(join(folder, name));
}
