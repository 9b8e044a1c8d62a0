import { createHash, randomBytes, randomUUID } from 'node:crypto';
import { constants } from 'node:fs';
import { access, copyFile, mkdir, open, realpath, rename, rm, stat } from 'node:fs/promises';
import { homedir } from 'node:os';
import { basename, dirname, isAbsolute, join } from 'node:path';
import {
  mergeKnownHosts,
  type HandoverDevice,
  type KnownHostsPlace,
  type MergedKnownHosts,
} from '@nest-mark/core';
import { openPlain } from '@nest-mark/station';
import pLimit from 'p-limit';
import { problem, reasonOf } from '../platform/http/problems';

/**
 * Somebody's own file of known hosts. It is read as octets, changed only by lines of ours, and exchanged as a whole: who
 * reads it meanwhile has the old file or the new one.
 */

/** Octets of a file that is taken for one of known hosts. */
const LARGEST = 16 << 20;

/** One change of such files at a time. */
const oneAtATime = pLimit(1);

const refused = (why: string): Error => problem('known-hosts-file', { why });

interface Looked {
  path: string;
  /** One character an octet. */
  text: string;
  digest: string | null;
  mode: number;
}

/** @throws Problem */
async function look(typed: string): Promise<Looked> {
  const path = typed.startsWith('~/') ? join(homedir(), typed.slice(2)) : typed;
  if (!isAbsolute(path)) throw refused(`“${typed}” is not a whole path.`);
  // So that a slip of the pen does not put keys into another file.
  if (!basename(path).includes('known_hosts'))
    throw refused(`“${basename(path)}” is not called known_hosts, nor has that in its name.`);
  try {
    const folder = dirname(path);
    const there = await stat(folder).catch(() => null);
    if (there === null && basename(folder) !== '.ssh') throw refused(`The folder ${folder} is not there.`);
    if (there !== null && !there.isDirectory()) throw refused(`${folder} is no folder.`);
    // A link is followed, and what it leads to is what is changed; the link stays one.
    const real = await realpath(path).catch((error: unknown) => {
      if ((error as { code?: string }).code === 'ENOENT') return null;
      throw error;
    });
    if (real === null) return { path, text: '', digest: null, mode: 0o600 };
    const file = await openPlain(real);
    if (!file) throw refused(`${real} is no plain file.`);
    try {
      const { size, mode } = await file.stat();
      if (size > LARGEST) throw refused(`${real} is larger than 16 MiB.`);
      const octets = await file.readFile();
      return {
        path: real,
        text: octets.toString('latin1'),
        digest: createHash('sha256').update(octets).digest('hex'),
        mode: mode & 0o777,
      };
    } finally {
      await file.close();
    }
  } catch (error) {
    if (error instanceof Error && error.name === 'Problem') throw error;
    throw refused(`${path} cannot be read (${reasonOf(error)}).`);
  }
}

const merge = (looked: Looked, devices: readonly HandoverDevice[], hashed: boolean): MergedKnownHosts =>
  mergeKnownHosts(looked.text, devices, { salt: hashed ? () => randomBytes(20) : null });

/** What merging would change. @throws Problem */
export async function lookAtKnownHosts(
  { path, hashed }: KnownHostsPlace,
  devices: readonly HandoverDevice[],
): Promise<Omit<MergedKnownHosts, 'text'> & { path: string; digest: string | null }> {
  const looked = await look(path);
  const { text: _text, ...change } = merge(looked, devices, hashed);
  return { ...change, path: looked.path, digest: looked.digest };
}

/**
 * Merges the host keys of devices into the file that was looked at. The file as it was is kept beside it.
 * @param digest as it was looked at
 * @throws Problem when the file is another by now, or cannot be written; then it is as it was
 */
export const mergeIntoFile = (
  { path, hashed }: KnownHostsPlace,
  digest: string | null,
  devices: readonly HandoverDevice[],
): Promise<{ path: string; backup: string | null; added: number; removed: number }> =>
  oneAtATime(async () => {
    const looked = await look(path);
    if (looked.digest !== digest) throw problem('known-hosts-changed');
    const merged = merge(looked, devices, hashed);
    const counts = { added: merged.added.length, removed: merged.removed.length };
    if (merged.text === looked.text) return { path: looked.path, backup: null, ...counts };
    const next = `${looked.path}.${randomUUID()}.part`;
    try {
      if (looked.digest === null)
        await mkdir(dirname(looked.path), { mode: 0o700 }).catch((error: unknown) => {
          if ((error as { code?: string }).code !== 'EEXIST') throw error;
        });
      else await access(looked.path, constants.W_OK);
      const file = await open(next, 'wx', looked.mode);
      try {
        await file.chmod(looked.mode);
        await file.writeFile(Buffer.from(merged.text, 'latin1'));
        await file.sync();
      } finally {
        await file.close();
      }
      // Clients add lines of their own: whatever came in the meantime must not be lost.
      if ((await look(path)).digest !== looked.digest) throw problem('known-hosts-changed');
      const backup = looked.digest === null ? null : await keepBeside(looked.path);
      await rename(next, looked.path);
      return { path: looked.path, backup, ...counts };
    } catch (error) {
      await rm(next, { force: true });
      if (error instanceof Error && error.name === 'Problem') throw error;
      throw refused(`${looked.path} cannot be written (${reasonOf(error)}).`);
    }
  });

/** Copies a file under a name that nobody has; modes and times of such files mean little, its octets much. */
async function keepBeside(path: string): Promise<string> {
  const stamp = new Date().toISOString().replace(/[-:]/g, '').slice(0, 15);
  for (let attempt = 0; ; attempt++) {
    const backup = `${path}.before-${stamp}${attempt === 0 ? '' : `-${String(attempt)}`}`;
    try {
      await copyFile(path, backup, constants.COPYFILE_EXCL);
      return backup;
    } catch (error) {
      if ((error as { code?: string }).code !== 'EEXIST' || attempt > 100) throw error;
    }
  }
}
