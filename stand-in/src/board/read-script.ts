import { mkdir, mkdtemp, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import type { FatVolume } from '@nest-mark/core/disk';
import { canSandbox, freshRoot, runInside } from './sandbox';
import { blank, BootFailure, readText, type BoardSettings } from './settings';

/** What a command line tells the system to run (systemd-run-generator(8)), and the words beside it. */
interface Start {
  script: string;
  words: string[];
}

/** The program that the card's command line starts, if it starts one. */
export async function scriptOf(volume: FatVolume): Promise<Start | null> {
  const listed = await readText(volume, 'extlinux/extlinux.conf').catch(() => null);
  const line =
    (await readText(volume, 'cmdline.txt'))?.split('\n')[0] ??
    /^\s*append\s+(.*)$/im.exec(listed ?? '')?.[1] ??
    '';
  const words = line.split(/\s+/);
  const script = words.find((word) => word.startsWith('systemd.run='))?.slice('systemd.run='.length);
  return script === undefined ? null : { script, words };
}

/** A board has its boot partition's files; a script needs those up to this size. */
const LARGEST = 1 << 20;

async function copyBoot(volume: FatVolume, folder: string, path = ''): Promise<void> {
  await mkdir(join(folder, path), { recursive: true });
  for (const { name, folder: isFolder, size } of await volume.list(path)) {
    const inner = path ? `${path}/${name}` : name;
    if (isFolder) await copyBoot(volume, folder, inner);
    else if (size <= LARGEST)
      await writeFile(join(folder, inner), (await volume.readFile(inner)) ?? new Uint8Array(), {
        mode: 0o755,
      });
  }
}

const textAt = (root: string, path: string): Promise<string> =>
  readFile(join(root, path), 'utf8').catch(() => '');

/** Octets of a name in a keyfile (nm-settings-keyfile(5)). */
const nameOf = (value: string): string =>
  /^(\d+;)+$/.test(value)
    ? Buffer.from(value.split(';').slice(0, -1).map(Number)).toString()
    : value.replace(/\\s/g, ' ').replace(/\\\\/g, '\\');

async function readKeyfiles(root: string, settings: BoardSettings): Promise<void> {
  const folder = 'etc/NetworkManager/system-connections';
  for (const name of (await readdir(join(root, folder)).catch(() => [])).sort()) {
    const { mode, uid } = await stat(join(root, folder, name));
    if ((mode & 0o077) !== 0 || uid !== 0) {
      settings.ignored.push(`${name}: others than root could read it, so NetworkManager ignores it`);
      continue;
    }
    const text = await textAt(root, `${folder}/${name}`);
    const value = (key: string): string | undefined => new RegExp(`^${key}=(.*)$`, 'm').exec(text)?.[1];
    if (value('type') !== 'wifi') continue;
    const psk = value('psk');
    settings.radio.networks.push({
      ssid: nameOf(value('ssid') ?? ''),
      password:
        psk === undefined
          ? null
          : psk.replace(/^(\\s)+/, (all) => ' '.repeat(all.length / 2)).replace(/\\\\/g, '\\'),
      priority: Number(value('autoconnect-priority') ?? 0),
    });
  }
  settings.radio.networks.sort((a, b) => b.priority - a.priority);
}

/** What a system is set to by its files. @param root where it lies */
export async function readRoot(root: string, words: readonly string[]): Promise<BoardSettings> {
  const settings = blank();
  settings.hostName = (await textAt(root, 'etc/hostname')).trim();
  const shadow = new Map(
    (await textAt(root, 'etc/shadow'))
      .split('\n')
      .map((line) => [line.split(':')[0] ?? '', line.split(':')[1] ?? '']),
  );
  for (const line of (await textAt(root, 'etc/passwd')).split('\n')) {
    const [name = '', , uid = '0', , , home = ''] = line.split(':');
    if (Number(uid) < 1000 || Number(uid) > 60_000) continue;
    const hash = shadow.get(name) ?? '';
    const keys = (await textAt(root, join(home.slice(1), '.ssh/authorized_keys')))
      .split('\n')
      .filter((key) => key !== '');
    settings.users.push({ name, keys, hash: hash.startsWith('$') ? hash : null });
  }
  const login = await textAt(root, 'etc/ssh/sshd_config.d/10-nest.conf');
  settings.passwordLogin = /^PasswordAuthentication yes$/m.test(login);
  settings.hostKey = (await textAt(root, 'etc/ssh/ssh_host_ed25519_key')) || null;
  const mark = await textAt(root, 'etc/nest-mark.json');
  if (mark) settings.files.push({ path: '/etc/nest-mark.json', content: mark });
  settings.radio.country =
    words.find((word) => word.startsWith('cfg80211.ieee80211_regdom='))?.split('=')[1] ?? null;
  await readKeyfiles(root, settings);
  return settings;
}

/**
 * A board that runs a script from its card once: the script is really run, in a scratch root without a network, and
 * what it left there is what the board is set to.
 * @throws BootFailure when the script is not there or cannot be run
 */
export async function readScript(volume: FatVolume, { script, words }: Start): Promise<BoardSettings> {
  const name = script.split('/').at(-1) ?? '';
  const content = await readText(volume, name);
  if (content === null) throw new BootFailure(`the command line starts ${script}, which is not on the card`);
  if (!content.startsWith('#!'))
    throw new BootFailure(`${name} has no start line, so the system cannot run it`);
  if (/^#!.*\r/.test(content))
    throw new BootFailure(`${name} asks for an interpreter whose name ends in a carriage return`);
  if (!canSandbox())
    throw new BootFailure('this practice board can run a script only when the server has the rights of root');
  const root = await mkdtemp(join(tmpdir(), 'nest-mark-board-'));
  try {
    await freshRoot(root);
    // The script looks for its settings beside itself, wherever the system mounts the partition.
    const mounted = dirname(script);
    await copyBoot(volume, join(root, mounted));
    const code = await runInside(root, ['/bin/sh', script]);
    const settings = await readRoot(root, words);
    const log = await textAt(root, join(mounted, 'run-once.log'));
    for (const line of log.split('\n')) if (line.startsWith('FAILED')) settings.ignored.push(line);
    if (code !== 0) settings.ignored.push(`${name} ended with ${code === null ? 'a signal' : String(code)}`);
    return settings;
  } finally {
    await rm(root, { recursive: true, force: true });
  }
}
