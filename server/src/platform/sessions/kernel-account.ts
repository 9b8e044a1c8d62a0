import { fstatSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { isIPv4, type Socket } from 'node:net';
import { setTimeout as pause } from 'node:timers/promises';

/**
 * Which account of this computer is behind a connection over loopback, as the kernel has it (the uid column of
 * /proc/net/tcp and /proc/net/tcp6, Documentation/networking/proc_net_tcp.rst in its source). No word of the other
 * side is taken.
 */

/** State "established" in that table. */
const ESTABLISHED = '01';

interface Entry {
  local: string;
  remote: string;
  state: string;
  uid: number;
  /** Number of the socket's inode; 0 for one that nobody holds any more, whose uid column says nothing. */
  inode: string;
}

function entriesOf(table: string): Entry[] {
  return table
    .split('\n')
    .slice(1)
    .flatMap((line): Entry[] => {
      const [, local, remote, state, , , , uid, , inode] = line.trim().split(/\s+/);
      if (local === undefined || remote === undefined || state === undefined || inode === undefined)
        return [];
      return [{ local, remote, state, uid: Number(uid), inode }];
    });
}

/** An IPv4 address as the table has it: 32 bits in the byte order of the machine, which is little-endian here. */
const hex4 = (address: string): string =>
  address
    .split('.')
    .reverse()
    .map((part) => Number(part).toString(16).padStart(2, '0'))
    .join('')
    .toUpperCase();

/** An IPv6 address likewise, in four groups of 32 bits; null when it is none. */
function hex6(address: string): string | null {
  const [head = '', tail] = address.split('::');
  const words = (text: string): number[] =>
    text === '' ? [] : text.split(':').map((word) => parseInt(word, 16));
  const before = words(head);
  const after = tail === undefined ? [] : words(tail);
  const all =
    tail === undefined
      ? before
      : [...before, ...Array<number>(8 - before.length - after.length).fill(0), ...after];
  if (all.length !== 8 || all.some((word) => !Number.isInteger(word))) return null;
  const octets = all.flatMap((word) => [word >> 8, word & 255]);
  return [0, 4, 8, 12]
    .map((at) => octets.slice(at, at + 4).reverse())
    .flat()
    .map((octet) => octet.toString(16).padStart(2, '0'))
    .join('')
    .toUpperCase();
}

const port16 = (port: number): string => port.toString(16).padStart(4, '0').toUpperCase();

/** The forms in which an end of a connection can stand in either table: a socket of IPv6 can carry IPv4. */
function forms(address: string, port: number): string[] {
  const plain = address.startsWith('::ffff:') ? address.slice('::ffff:'.length) : address;
  const ends = isIPv4(plain) ? [hex4(plain), `0000000000000000FFFF0000${hex4(plain)}`] : [hex6(plain)];
  return ends.flatMap((end) => (end === null ? [] : [`${end}:${port16(port)}`]));
}

/** Number of the inode of a socket that this process holds; null where the system does not tell. */
function inodeOf(socket: Socket): string | null {
  const { fd } = (socket as unknown as { _handle?: { fd?: number } })._handle ?? {};
  if (fd === undefined || fd < 0) return null;
  try {
    return String(fstatSync(fd).ino);
  } catch {
    return null;
  }
}

/** Looks at the tables before it is given up: one that is changed while it is read can lack an entry or have it twice. */
const LOOKS = 4;
const BETWEEN_LOOKS = 15;

/**
 * @returns the account's number; null when the kernel does not tell, as for a connection from another network
 *   namespace, one whose other side is closed, or a system without such tables
 */
export async function accountBehind(socket: Socket): Promise<number | null> {
  for (let look = 0; look < LOOKS && !socket.destroyed; look++) {
    if (look > 0) await pause(BETWEEN_LOOKS);
    const account = await lookOnce(socket);
    if (account !== null) return account;
  }
  return null;
}

async function lookOnce(socket: Socket): Promise<number | null> {
  const { remoteAddress, remotePort, localAddress, localPort } = socket;
  const own = inodeOf(socket);
  if (!remoteAddress || !localAddress || remotePort === undefined || localPort === undefined || own === null)
    return null;
  const tables = await Promise.all(
    ['/proc/net/tcp', '/proc/net/tcp6'].map((path) => readFile(path, 'latin1').catch(() => '')),
  );
  const alive = tables
    .flatMap(entriesOf)
    .filter(({ state, inode }) => state === ESTABLISHED && inode !== '0');
  const entries = [...new Map(alive.map((entry) => [entry.inode, entry])).values()];
  const theirs = forms(remoteAddress, remotePort);
  const ours = forms(localAddress, localPort);
  const between = (from: readonly string[], to: readonly string[]): Entry[] =>
    entries.filter(({ local, remote }) => from.includes(local) && to.includes(remote));
  // Our own end has to be this very socket: after a reset the same two ports can belong to another connection.
  const held = between(ours, theirs).some(({ inode }) => inode === own);
  const [client, ...more] = between(theirs, ours);
  return held && client && more.length === 0 && !socket.destroyed ? client.uid : null;
}
