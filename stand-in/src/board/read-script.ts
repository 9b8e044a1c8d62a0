import { mkdtemp } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { PROFILES, readProfile } from './keyfile';
import { SERVICES_FILE } from './own-service';
import { readInside, type InsideFile } from './read-inside';
import { callsOf } from './run-calls';
import { freshRoot, noSandbox, removeRoot, runInside, type BootFile } from './sandbox';
import { blank, BootFailure, readText, type BoardSettings, type CardFiles } from './settings';

/** What a command line tells the system to run (systemd-run-generator(8)), and the words beside it. */
interface Start {
  script: string;
  words: string[];
}

/** The program that the card's command line starts, if it starts one. */
export async function scriptOf(volume: CardFiles): Promise<Start | null> {
  const listed = await readText(volume, 'extlinux/extlinux.conf').catch(() => null);
  const line =
    (await readText(volume, 'cmdline.txt'))?.split('\n')[0] ??
    /^\s*append\s+(.*)$/im.exec(listed ?? '')?.[1] ??
    '';
  const words = line.split(/\s+/);
  const script = words.find((word) => word.startsWith('systemd.run='))?.slice('systemd.run='.length);
  return script === undefined ? null : { script, words };
}

/** A part of a path that is no more than a name. */
const isName = (part: string): boolean =>
  /^[^/\0\r\n]{1,255}$/.test(part) && part !== '.' && part !== '..' && part.trim() !== '';

/** Where systems mount a boot partition (Filesystem Hierarchy Standard 3.0, and Debian's images). */
const places = new Set(['boot', 'efi', 'mnt', 'media']);

/**
 * The folder that a program is started from, where the system has its boot partition.
 * @throws BootFailure when it is none: a path from a card may lead nowhere else
 */
export function mountPoint(script: string): string {
  const [root, ...parts] = script.split('/');
  const name = parts.at(-1) ?? '';
  const good =
    root === '' &&
    parts.length >= 2 &&
    parts.length <= 6 &&
    parts.every(isName) &&
    places.has(parts[0] ?? '');
  if (!good || name === '')
    throw new BootFailure(
      `the command line starts ${JSON.stringify(script.slice(0, 200))}, which is no file of a mounted boot partition`,
    );
  return dirname(script);
}

/** A board has its boot partition's files; a script needs those up to this size, so many and so deep. */
const LARGEST = 1 << 20;
const MOST_FILES = 2000;
const DEEPEST = 8;

export async function bootFiles(volume: CardFiles, path = '', found: BootFile[] = []): Promise<BootFile[]> {
  for (const { name, folder, size } of await volume.list(path)) {
    if (!isName(name) || found.length >= MOST_FILES) continue;
    const inner = path ? `${path}/${name}` : name;
    if (folder) {
      if (inner.split('/').length <= DEEPEST) await bootFiles(volume, inner, found);
    } else if (size <= LARGEST)
      found.push({ path: inner, content: (await volume.readFile(inner)) ?? new Uint8Array() });
  }
  return found;
}

function readKeyfile({ path, mode, uid, content }: InsideFile, settings: BoardSettings): void {
  const name = path.split('/').at(-1) ?? '';
  if ((mode & 0o077) !== 0 || uid !== 0) {
    settings.ignored.push(`${name}: others than root could read it, so NetworkManager ignores it`);
    return;
  }
  const profile = readProfile(content.toString('utf8'));
  if (!profile) return;
  const { ssid, password, priority, hidden } = profile;
  settings.radio.networks.push({ ssid, password, priority, hidden });
}

interface Account {
  name: string;
  home: string;
}

/** People's accounts, as /etc/passwd has them (passwd(5)). */
const accountsOf = (passwd: string): Account[] =>
  passwd.split('\n').flatMap((line) => {
    const [name = '', , uid = '0', , , home = ''] = line.split(':');
    return Number(uid) >= 1000 && Number(uid) <= 60_000 ? [{ name, home }] : [];
  });

const keysOf = ({ home }: Account): string => join(home, '.ssh/authorized_keys');

/** What a system is set to by its files. @param root where it lies */
export async function readRoot(root: string, words: readonly string[]): Promise<BoardSettings> {
  const settings = blank();
  const first = await readInside(root, [
    '/etc/hostname',
    '/etc/shadow',
    '/etc/passwd',
    '/etc/ssh/sshd_config.d/10-nest.conf',
    '/etc/ssh/ssh_host_ed25519_key',
    '/etc/nest-mark.json',
    SERVICES_FILE,
    PROFILES,
  ]);
  const textIn = (files: readonly InsideFile[], path: string): string =>
    files.find((file) => file.path === path)?.content.toString('utf8') ?? '';
  const text = (path: string): string => textIn(first, path);
  settings.hostName = text('/etc/hostname').trim();
  const shadow = new Map(
    text('/etc/shadow')
      .split('\n')
      .map((line) => [line.split(':')[0] ?? '', line.split(':')[1] ?? '']),
  );
  const accounts = accountsOf(text('/etc/passwd')).slice(0, 32);
  const second = await readInside(root, accounts.map(keysOf));
  for (const account of accounts) {
    const hash = shadow.get(account.name) ?? '';
    const keys = textIn(second, keysOf(account))
      .split('\n')
      .filter((key) => key !== '');
    settings.users.push({ name: account.name, keys, hash: hash.startsWith('$') ? hash : null });
  }
  settings.passwordLogin = /^PasswordAuthentication yes$/m.test(text('/etc/ssh/sshd_config.d/10-nest.conf'));
  settings.hostKey = text('/etc/ssh/ssh_host_ed25519_key') || null;
  const mark = text('/etc/nest-mark.json');
  if (mark) settings.files.push({ path: '/etc/nest-mark.json', content: mark, open: true });
  const service = text(SERVICES_FILE);
  if (service) settings.files.push({ path: SERVICES_FILE, content: service, open: true });
  settings.radio.country =
    words.find((word) => word.startsWith('cfg80211.ieee80211_regdom='))?.split('=')[1] ?? null;
  for (const file of first) if (file.path.startsWith(`${PROFILES}/`)) readKeyfile(file, settings);
  settings.radio.networks.sort((a, b) => b.priority - a.priority);
  return settings;
}

/**
 * A board that runs a script from its card once: the script is really run, in a scratch root without a network, and
 * what it left there is what the board is set to.
 * @throws BootFailure when the script is not there or cannot be run
 */
export async function readScript(volume: CardFiles, { script, words }: Start): Promise<BoardSettings> {
  const name = script.split('/').at(-1) ?? '';
  const content = await readText(volume, name);
  if (content === null) throw new BootFailure(`the command line starts ${script}, which is not on the card`);
  if (!content.startsWith('#!'))
    throw new BootFailure(`${name} has no start line, so the system cannot run it`);
  if (/^#!.*\r/.test(content))
    throw new BootFailure(`${name} asks for an interpreter whose name ends in a carriage return`);
  const mountedAt = mountPoint(script);
  const refused = noSandbox();
  if (refused !== null) throw new BootFailure(`this practice board cannot run a script: ${refused}`);
  const root = await mkdtemp(join(tmpdir(), 'nest-mark-board-'));
  try {
    // The script looks for its settings beside itself, wherever the system mounts the partition.
    await freshRoot(root, mountedAt, await bootFiles(volume));
    const { code } = await runInside(root, ['/bin/sh', script]);
    const settings = await readRoot(root, words);
    settings.calls = await callsOf(root);
    const [log] = await readInside(root, [join(mountedAt, 'run-once.log')]);
    for (const line of (log?.content.toString('utf8') ?? '').split('\n'))
      if (line.startsWith('FAILED')) settings.ignored.push(line);
    if (code !== 0) settings.ignored.push(`${name} ended with ${code === null ? 'a signal' : String(code)}`);
    return settings;
  } finally {
    await removeRoot(root);
  }
}
