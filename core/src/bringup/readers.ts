import { textOrNull, toHex } from '../bytes';
import { readKeyfile, ssidOfKeyfile } from '../formats/keyfile/read';
import { readSupplicant } from '../formats/supplicant/supplicant';
import { octetsOf } from '../formats/supplicant/values';

/** Reads what programs of a board print. Nothing of it is believed but its form. */

export interface Account {
  name: string;
  uid: number;
  home: string;
  shell: string;
}

/** Shells that let nobody in (nologin(8), and what Debian's system accounts have). */
const closed = /(^|\/)(nologin|false|sync|halt|shutdown)$/;

/** Accounts, as `getent passwd` prints them (passwd(5)). */
export const readAccounts = (text: string): Account[] =>
  text.split('\n').flatMap((line): Account[] => {
    const parts = line.split(':');
    const [name = '', , uid = '', , , home = '', shell = ''] = parts;
    return parts.length === 7 && /^\d+$/.test(uid) && name !== ''
      ? [{ name, uid: Number(uid), home, shell }]
      : [];
  });

/** Whether somebody gets a shell by an account. An empty shell is /bin/sh (passwd(5)). */
export const hasShell = ({ shell }: Account): boolean => !closed.test(shell);

export type PasswordState = 'none' | 'locked' | 'set';

/** Lines `name locked`, `name none` or `name set`; the hash itself never leaves the board. */
export const readPasswords = (text: string): Map<string, PasswordState> =>
  new Map(
    text.split('\n').flatMap((line): [string, PasswordState][] => {
      const [, name = '', state = ''] = /^(\S+) (none|locked|set)$/.exec(line.trim()) ?? [];
      return name === '' ? [] : [[name, state as PasswordState]];
    }),
  );

/**
 * Public keys of accounts: lines of authorized_keys with the account before them.
 * @param shells only those that give a shell: a key with a command of its own runs that and nothing else, as the line by
 *   which cloud-init tells people not to log in as root
 * @returns blobs in base64
 */
export function readKeys(text: string, shells = false): Map<string, string[]> {
  const keys = new Map<string, string[]>();
  for (const line of text.split('\n')) {
    const [, name = '', rest = ''] = /^(\S+) (.*)$/.exec(line) ?? [];
    if (name === '' || rest.trimStart().startsWith('#')) continue;
    if (shells && /(?:^|,)command="/i.test(rest.trimStart())) continue;
    // Whatever options stand before it: the blob begins with its type's length, AAAA in base64 (RFC 4251 section 5).
    const blob = /(?:^|\s)(AAAA[A-Za-z0-9+/]+=*)(?:\s|$)/.exec(rest)?.[1];
    if (blob !== undefined) keys.set(name, [...(keys.get(name) ?? []), blob]);
  }
  return keys;
}

/** Settings of the login service as `sshd -T` prints them: small letters, a space, the value (sshd(8)). */
export const readSshd = (text: string): Map<string, string> =>
  new Map(
    text.split('\n').flatMap((line): [string, string][] => {
      const [, key = '', value = ''] = /^([a-z]+) (.*)$/.exec(line.trim()) ?? [];
      return key === '' ? [] : [[key, value]];
    }),
  );

export interface ConfiguredNetwork {
  hex: string;
  shown: string;
  /** Null where its program has none. */
  priority: number | null;
}

const saved = (name: Uint8Array, priority: number | null): ConfiguredNetwork => ({
  hex: toHex(name),
  shown: textOrNull(name) ?? toHex(name),
  priority,
});

/** The line before each file that the question about networks prints. */
export const FILE_LINE = '== ';

/**
 * Networks that a board has saved: files of NetworkManager and of wpa_supplicant without their secrets, each after a
 * line with its path.
 */
export function readSavedNetworks(text: string): ConfiguredNetwork[] {
  const found: ConfiguredNetwork[] = [];
  for (const part of `\n${text}`.split(`\n${FILE_LINE}`).slice(1)) {
    const [path = '', ...lines] = part.split('\n');
    const content = lines.join('\n');
    if (/\.conf$/.test(path.trim())) {
      for (const block of readSupplicant(content).blocks) {
        const name = octetsOf(block.get('ssid') ?? '');
        if (name && name.length > 0) found.push(saved(name, Number(block.get('priority') ?? 0)));
      }
      continue;
    }
    const groups = readKeyfile(content);
    const ssid = (groups.get('wifi') ?? groups.get('802-11-wireless'))?.get('ssid');
    if (ssid === undefined) continue;
    const priority = Number(groups.get('connection')?.get('autoconnect-priority') ?? 0);
    found.push(saved(ssidOfKeyfile(ssid), Number.isFinite(priority) ? priority : 0));
  }
  return found;
}

/** Space of a file system in octets, as `df -kP` prints it (POSIX.1-2017, df); null when it is none. */
export function readSpace(text: string): { size: number; free: number } | null {
  const line = text.trim().split('\n').at(-1) ?? '';
  const [, size = '', , free = ''] = /(\d+)\s+(\d+)\s+(-?\d+)\s+\d+%/.exec(line) ?? [];
  return size === '' ? null : { size: Number(size) * 1024, free: Number(free) * 1024 };
}

/** Kilobytes of one line of /proc/meminfo (proc(5)), in octets. */
export function readMemory(text: string, name: string): number | null {
  const value = new RegExp(`^${name}:\\s+(\\d+) kB$`, 'm').exec(text)?.[1];
  return value === undefined ? null : Number(value) * 1024;
}

/** Units of `systemctl list-units --failed --plain --no-legend` (systemctl(1)). */
export const readUnits = (text: string): string[] =>
  text.split('\n').flatMap((line) => /^\s*[●*]?\s*([\w@:.\\-]+\.[a-z]+)\s/.exec(line)?.[1] ?? []);

/** Milli-degrees of the kernel's thermal zones; the hottest in degrees Celsius (kernel documentation, sysfs-class-thermal). */
export function readTemperature(text: string): number | null {
  const values = text
    .split('\n')
    .filter((line) => /^-?\d+$/.test(line.trim()))
    .map((line) => Number(line) / 1000);
  return values.length === 0 ? null : Math.max(...values);
}

/** What dd says of a read: decimal megabytes a second (dd(1) of GNU coreutils). */
export function readRate(text: string): number | null {
  const [, octets = '', seconds = ''] = /^(\d+) bytes.* copied, ([\d.e+-]+) s/m.exec(text) ?? [];
  const rate = Number(octets) / Number(seconds) / 1e6;
  return octets !== '' && Number.isFinite(rate) ? rate : null;
}

/** Packages that a dry run would upgrade: `Inst name [old] (new …)` (apt-get(8), --simulate). */
export const readUpgrades = (text: string): { name: string; from: string; to: string }[] =>
  text.split('\n').flatMap((line) => {
    const [, name = '', from = '', to = ''] = /^Inst (\S+)(?: \[([^\]]*)\])? \((\S+)/.exec(line) ?? [];
    return name === '' ? [] : [{ name, from, to }];
  });

/** Somebody who listens on a board. */
export interface Listener {
  port: number;
  /** Whether only programs on the board itself reach it. */
  loopback: boolean;
}

/**
 * Who listens, by the kernel's own tables of IPv4 and IPv6 (proc(5), /proc/net/tcp): an address in words of the machine's
 * order, a port, and the state 0A for listening.
 */
export const readListeners = (text: string): Listener[] =>
  text.split('\n').flatMap((line): Listener[] => {
    const [, address = '', port = ''] =
      /^\s*\d+: ([0-9A-F]{8}|[0-9A-F]{32}):([0-9A-F]{4}) [0-9A-F]+:[0-9A-F]{4} 0A /.exec(line) ?? [];
    if (port === '') return [];
    // Boards are little-endian: the first octet of an IPv4 address stands last.
    const v4 = address.length === 8 || address.startsWith('0000000000000000FFFF0000');
    const loopback = v4 ? address.endsWith('7F') : address === '00000000000000000000000001000000';
    return [{ port: parseInt(port, 16), loopback }];
  });
