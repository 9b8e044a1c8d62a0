import { isAbsolute } from 'node:path';
import { isOwnAddress } from '@nest-mark/core';
import { clueKey, readTable, TABLE_LIMIT, TableError, type Clue } from '@nest-mark/core/find';
import { openPlain } from '../plain-file';
import { ClueError, type ClueListener } from './ports';

/** Milliseconds between two looks at the file. */
const EVERY = 1000;

/** What tells that a file is another one than before; a list that is written anew has another number. */
interface Version {
  number: bigint;
  size: bigint;
  changed: bigint;
}

const same = (a: Version | null, b: Version): boolean =>
  a?.number === b.number && a.size === b.size && a.changed === b.changed;

/**
 * Reads a plain file, up to the bound of a list.
 * @returns null where it is still as it was
 * @throws what the system says
 */
async function readChanged(
  path: string,
  before: Version | null,
): Promise<{ text: string; now: Version } | null> {
  const file = await openPlain(path);
  if (!file) throw new ClueError(`${path} is no plain file.`);
  try {
    const facts = await file.stat({ bigint: true });
    const now = { number: facts.ino, size: facts.size, changed: facts.mtimeNs };
    if (same(before, now)) return null;
    if (facts.size > BigInt(TABLE_LIMIT))
      throw new ClueError(`${path} is larger than a list of hosts can be here (1 MiB).`);
    const octets = Buffer.alloc(Number(facts.size));
    const { bytesRead } = await file.read(octets, 0, octets.length, 0);
    return { text: octets.subarray(0, bytesRead).toString('utf8'), now };
  } finally {
    await file.close();
  }
}

/** Why the file cannot be read, and what to do. */
function reason(error: unknown, path: string): string {
  if (error instanceof ClueError) return error.message;
  const { code = '' } = error as NodeJS.ErrnoException;
  if (code === 'ENOENT')
    return `There is no ${path} on this computer. Look at its name, or begin again once it is there.`;
  if (code === 'EACCES' || code === 'EPERM')
    return `${path} may not be read by this program. Let the account that runs it read the file, as with "setfacl -m u:ACCOUNT:r", or paste the list.`;
  return `${path} cannot be read: ${error instanceof Error ? error.message : String(error)}.`;
}

/** Hosts of a list as clues; what is gone by it, or lies outside everybody's own networks, is left. */
function cluesOf(text: string, at: number): Clue[] {
  try {
    return readTable(text).rows.flatMap(({ address, hardwareAddress, name, gone }): Clue[] =>
      gone || (address !== null && !isOwnAddress(address))
        ? []
        : [{ source: 'list-file', at, address, hardwareAddress, name, mark: null, kind: 'here' }],
    );
  } catch (error) {
    // It is being written, or empty yet: the next look shows.
    if (error instanceof TableError) return [];
    throw error;
  }
}

/**
 * A list of the network's own equipment that lies on this computer, or is mounted there, read again whenever it changes.
 * A host is told when it comes into the list, and again when something of it changes.
 */
export const listFile: ClueListener = {
  source: 'list-file',
  async listen({ listPath }, onClue) {
    if (!isAbsolute(listPath) || listPath.includes('\0'))
      throw new ClueError('Give the path of the list from the root, as /var/lib/misc/dnsmasq.leases.');
    let version: Version | null = null;
    let told = new Set<string>();
    const look = async (): Promise<void> => {
      const read = await readChanged(listPath, version);
      if (!read) return;
      version = read.now;
      const clues = cluesOf(read.text, Date.now());
      for (const clue of clues) if (!told.has(clueKey(clue))) onClue(clue);
      told = new Set(clues.map(clueKey));
    };
    try {
      await look();
    } catch (error) {
      throw new ClueError(reason(error, listPath));
    }
    // Later it may be away for a moment, as while it is written anew.
    let looking: Promise<void> = Promise.resolve();
    let busy = false;
    const timer = setInterval(() => {
      if (busy) return;
      busy = true;
      looking = look()
        .catch(() => undefined)
        .finally(() => (busy = false));
    }, EVERY);
    return async () => {
      clearInterval(timer);
      await looking;
    };
  },
};
