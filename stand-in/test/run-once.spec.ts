import { execFileSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { chmod, lstat, mkdtemp, mkdir, readdir, readFile, readlink, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import {
  cardFilesOf,
  makeHostKey,
  plainExtras,
  preSharedKey,
  unreadSystem,
  utf8,
  type BaseFiles,
  type CardFile,
  type FirstBootSettings,
} from '@nest-mark/core';
import { amount } from '../../core/test/helpers/soak';
import { callsOf } from '../src/board/run-calls';
import { markToldBy } from '../src/board/own-service';
import { readInside } from '../src/board/read-inside';
import { readRoot } from '../src/board/read-script';
import { freshRoot, noSandbox, removeRoot, runInside } from '../src/board/sandbox';

/** The script is really run, by Debian's shell and user tools, in a scratch root of its own. */

const userKey = makeHostKey(randomBytes(32), randomBytes(4), 'mara@bench').publicLine;
const settings: FirstBootSettings = {
  ...plainExtras,
  mark: '7KQ4M',
  nest: 'A1',
  deviceId: '00000000-0000-4000-8000-000000000001',
  batchId: 'b',
  batchName: 'Tanks',
  hostName: 'tank-01',
  user: {
    name: 'keeper',
    keys: [userKey, `${userKey.slice(0, -4)}two`],
    passwordHash: '$6$reed$aB/cD.9',
    passwordLogin: true,
    sudo: 'usual',
    groups: ['dialout', 'nosuchgroup'],
  },
  hostKey: makeHostKey(randomBytes(32), randomBytes(4), '7KQ4M'),
  others: [
    { name: 'helper', keys: [userKey], sudo: true },
    { name: 'guest', keys: [], sudo: false },
  ],
  networks: [
    {
      ssid: utf8('Saltmarsh "Bench" 🦪 $HOME'),
      security: 'wpa2-psk',
      key: preSharedKey('x', 'low tide at seven'),
      hidden: true,
      priority: 10,
    },
    { ssid: utf8('Hall'), security: 'wpa3-sae', key: '  a\\b;c"d$(reboot)`', hidden: false, priority: 25 },
  ],
  country: 'DK',
  timeZone: 'Europe/Copenhagen',
  locale: 'C.UTF-8',
  keyboard: { layout: 'dk', variant: '' },
  wired: { address: '192.168.40.21/24', gateway: '192.168.40.1', nameServers: ['192.168.40.2'] },
  files: [
    { place: 'board', path: '/etc/tank/settings.conf', mode: '0600', content: "it's $HOME\n" },
    { place: 'board', path: '/home/keeper/.config/tank/depth.toml', mode: '0640', content: 'depth = 3\n' },
  ],
  commands: [
    "echo 'ran' > /var/lib/tank-ran",
    "stat -c '%n %U %a' /home/keeper /home/keeper/.config /home/keeper/.config/tank /etc/tank > /var/lib/tank-folders",
  ],
  instanceId: 'i-1',
};
// A responder is told what to announce where the image has one; the bench is called where the plan says so.
const withClues = {
  card: { ...settings, callIn: { address: '127.62.32.254', port: 18722 } },
  base: (): BaseFiles => ({
    ...base,
    system: {
      ...unreadSystem(''),
      abilities: { avahi: { has: true, on: true, version: '0.8', where: '' } },
    },
  }),
};
const commandLine = 'console=tty1 root=PARTUUID=4d41524b-02 rootwait quiet\n';
const base: BaseFiles = { texts: new Map([['cmdline.txt', commandLine]]), mountedAt: '/boot', system: null };
const files = cardFilesOf('run-once', settings, base);

const cuts = amount('run-once', 3, 40, 0);
const CUTS = cuts.runs;
let folder: string;
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'nest-mark-once-'));
  // The roots in it belong to account numbers of their own, which have to get there.
  await chmod(folder, 0o711);
});
afterEach(async () => {
  for (const name of await readdir(folder)) await removeRoot(join(folder, name));
  await rm(folder, { recursive: true, force: true });
});

async function freshCard(name: string, list: readonly CardFile[] = files): Promise<string> {
  const root = join(folder, name);
  await mkdir(root);
  await freshRoot(root, '/boot', [{ path: 'cmdline.txt', content: utf8(commandLine) }, ...list]);
  return root;
}

const boot = async (root: string, killAfter?: number): Promise<number | null> =>
  (await runInside(root, ['/bin/sh', '/boot/run-once.sh'], killAfter)).code;

/** Everything that a root holds but for the log and the programs: path, mode, owner and content. */
async function stateOf(root: string, at = ''): Promise<string[]> {
  const found: string[] = [];
  for (const name of (await readdir(join(root, at))).sort()) {
    const path = at ? `${at}/${name}` : name;
    if (['usr', 'dev', 'proc'].includes(path) || name === 'run-once.log' || name.endsWith('-')) continue;
    const { mode, uid, gid } = await lstat(join(root, path));
    const what = `${path} ${(mode & 0o170777).toString(8)} ${String(uid)}:${String(gid)}`;
    if ((mode & 0o170000) === 0o040000) found.push(what, ...(await stateOf(root, path)));
    else if ((mode & 0o170000) === 0o120000) found.push(`${what} ${await readlink(join(root, path))}`);
    else {
      // The day of the last change of password is the day of the test.
      const text = (await readFile(join(root, path), 'latin1')).replace(/:2\d{4}:/g, ':day:');
      // Who is in a group counts from /etc/group (gshadow(5)); a cut between the two files leaves this one behind.
      if (path === 'etc/gshadow') continue;
      if (text.length < 400) {
        // The order of lines is that of making, which a cut may change.
        found.push(`${what} ${text.split('\n').sort().join('\n')}`);
        continue;
      }
      found.push(`${what} ${createHash('sha256').update(text).digest('hex')}`);
    }
  }
  return found;
}

const whenSandbox = noSandbox() === null ? describe : describe.skip;
/** What belongs to accounts inside can be compared from outside by root only. */
const itAsRoot = process.getuid?.() === 0 ? it : it.skip;
if (noSandbox() !== null) console.warn(`The run-once script is not run: ${noSandbox() ?? ''}.`);

whenSandbox('the run-once script, run for real', () => {
  it('sets name, users, keys, rights, networks, files and the rest, and takes itself away', async () => {
    const root = await freshCard('a');
    expect(await boot(root)).toBe(0);
    const read = (path: string): Promise<string> => readFile(join(root, path), 'utf8');
    const log = await read('boot/run-once.log');
    expect(log).not.toContain('FAILED');
    expect(await read('etc/hostname')).toBe('tank-01\n');
    expect(await read('etc/hosts')).toBe('127.0.0.1\tlocalhost\n127.0.1.1 tank-01\n');
    const board = await readRoot(root, ['cfg80211.ieee80211_regdom=DK']);
    expect(board.users).toEqual([
      { name: 'keeper', keys: settings.user.keys, hash: '$6$reed$aB/cD.9' },
      { name: 'helper', keys: [userKey], hash: null },
      { name: 'guest', keys: [], hash: null },
    ]);
    expect(board).toMatchObject({
      hostName: 'tank-01',
      passwordLogin: true,
      hostKey: settings.hostKey.privateText,
      ignored: [],
    });
    expect(board.radio).toEqual({
      country: 'DK',
      networks: [
        { ssid: 'Hall', password: '  a\\b;c"d$(reboot)`', priority: 25, hidden: false },
        {
          ssid: 'Saltmarsh "Bench" 🦪 $HOME',
          password: settings.networks[0]?.key,
          priority: 10,
          hidden: true,
        },
      ],
    });
    expect(await read('etc/sudoers.d/nest-keeper')).toBe('keeper ALL=(ALL:ALL) ALL\n');
    expect(await read('etc/sudoers.d/nest-helper')).toBe('helper ALL=(ALL:ALL) NOPASSWD: ALL\n');
    expect(await read('etc/group')).toMatch(/^dialout:x:20:keeper$/m);
    expect(await read('etc/tank/settings.conf')).toBe("it's $HOME\n");
    expect((await lstat(join(root, 'etc/tank/settings.conf'))).mode & 0o777).toBe(0o600);
    expect(await readlink(join(root, 'etc/localtime'))).toBe('/usr/share/zoneinfo/Europe/Copenhagen');
    expect(await read('etc/default/keyboard')).toContain('XKBLAYOUT="dk"');
    expect(await read('var/lib/tank-ran')).toBe('ran\n');
    expect((await lstat(join(root, 'var/lib/tank-ran'))).mode & 0o777).toBe(0o644);
    // A home stays its user's, and what others have to read can be got at.
    expect((await read('var/lib/tank-folders')).trim().split('\n')).toEqual([
      '/home/keeper keeper 755',
      '/home/keeper/.config keeper 755',
      '/home/keeper/.config/tank keeper 755',
      '/etc/tank root 755',
    ]);
    const [depth] = await readInside(root, ['/home/keeper/.config/tank/depth.toml']);
    expect([depth!.uid, depth!.mode]).toEqual([1000, 0o640]);
    // The command line is back but for the country; nothing secret is left on the boot partition.
    expect(await read('boot/cmdline.txt')).toBe(
      'console=tty1 root=PARTUUID=4d41524b-02 rootwait quiet cfg80211.ieee80211_regdom=DK\n',
    );
    expect((await readdir(join(root, 'boot'))).sort()).toEqual([
      'cmdline.txt',
      'nest-mark.json',
      'run-once.log',
    ]);
    // visudo and sshd are not asked here; the forms are those of sudoers(5) and sshd_config(5).
    const [keys] = await readInside(root, ['/home/keeper/.ssh/authorized_keys']);
    expect([keys!.uid, keys!.mode]).toEqual([1000, 0o600]);
  });

  it('leaves what calls the bench once, which really runs, and what the responder tells', async () => {
    const root = await freshCard('a', cardFilesOf('run-once', withClues.card, withClues.base()));
    expect(await boot(root)).toBe(0);
    const board = await readRoot(root, []);
    expect(markToldBy(board.files)).toBe('7KQ4M');
    expect(await callsOf(root)).toEqual([
      {
        url: 'http://127.62.32.254:18722/call-in/7KQ4M',
        body: expect.stringMatching(/^hostname=\S/) as string,
      },
    ]);
    // It takes itself away first: at the next start, wherever that is, nobody is called.
    expect(await callsOf(root)).toEqual([]);
    const left = await readInside(root, ['/etc/nest-mark-call-in', '/var/lib/nest-mark/call-in']);
    expect(left).toEqual([]);
    // Without either nothing of them is there.
    const plain = await freshCard('b');
    await boot(plain);
    expect(markToldBy((await readRoot(plain, [])).files)).toBeNull();
    expect(await callsOf(plain)).toEqual([]);
  });

  itAsRoot('run twice leaves the same state', async () => {
    const root = await freshCard('a');
    await boot(root);
    const once = await stateOf(root);
    for (const { path, content } of files) {
      await mkdir(dirname(join(root, 'boot', path)), { recursive: true });
      await writeFile(join(root, 'boot', path), content, { mode: 0o755 });
    }
    execFileSync('chown', ['-R', '--reference', root, join(root, 'boot')]);
    expect(await boot(root)).toBe(0);
    expect(await stateOf(root)).toEqual(once);
  });

  itAsRoot(
    'killed at spread moments and started again comes to the same state, as after power cuts',
    async () => {
      const whole = await freshCard('whole');
      const began = Date.now();
      await boot(whole);
      const takes = Date.now() - began;
      const wanted = await stateOf(whole);
      let cut = 0;
      for (let turn = 1; turn <= CUTS; turn++) {
        cuts.step();
        const root = await freshCard(`cut-${String(turn)}`);
        if ((await boot(root, Math.max(5, Math.round((takes * turn) / (CUTS + 1))))) === null) cut++;
        // Power comes back: the command line starts the script as long as it says so.
        let boots = 0;
        while ((await readFile(join(root, 'boot/cmdline.txt'), 'utf8')).includes('systemd.run=')) {
          expect(++boots).toBeLessThan(3);
          await boot(root);
        }
        // What a cut left beside its place is overwritten or harmless; the script itself may stay when the cut fell there.
        const rest = (lines: string[]): string[] =>
          lines
            .filter((line) => !/\.new |boot\/run-once\.sh /.test(line))
            .map((line) => line.replace(/^(boot 4\d+).*/, '$1'));
        expect({ turn, state: rest(await stateOf(root)) }).toEqual({ turn, state: rest(wanted) });
        await rm(root, { recursive: true });
      }
      // Otherwise nothing was tried.
      expect(cut).toBeGreaterThan(CUTS / 3);
    },
    240_000,
  );

  it('a card whose settings are gone starts all the same and does nothing', async () => {
    const root = await freshCard(
      'a',
      files.filter(({ path }) => !path.startsWith('run-once/')),
    );
    const before = (await stateOf(root)).filter((line) => !line.startsWith('boot'));
    expect(await boot(root)).toBe(0);
    expect((await stateOf(root)).filter((line) => !line.startsWith('boot'))).toEqual(before);
    expect(await readFile(join(root, 'boot/cmdline.txt'), 'utf8')).not.toContain('systemd.run');
  });

  it('cannot reach the workstation: no network, no programs to write to, no devices', async () => {
    const root = await freshCard('a');
    const inside = async (script: string): Promise<number | null> =>
      (await runInside(root, ['/bin/sh', '-c', script])).code;
    expect(await inside('touch /usr/nest-mark-was-here')).not.toBe(0);
    expect(await inside('mknod /dev/disk b 254 0')).not.toBe(0);
    expect(await inside('mount --bind /boot /home')).not.toBe(0);
    expect(await inside('test "$(ls /sys /proc 2>/dev/null | wc -l)" -lt 5')).toBe(0);
    expect(execFileSync('ls', ['/usr']).toString()).not.toContain('nest-mark');
  });
});
