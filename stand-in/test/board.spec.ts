import { execFile, execFileSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { chmodSync, mkdtempSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import {
  cardFilesOf,
  noBase,
  plainExtras,
  knownHosts,
  makeHostKey,
  personalise,
  preSharedKey,
  sha512Crypt,
  shiftPatches,
  sshConfig,
  applyPatches,
  MemorySource,
  SliceSource,
  type FirstBootSettings,
  type NetworkSettings,
  type PracticeView,
} from '@nest-mark/core';
import { handed } from '../../core/test/helpers/handed-over';
import { sweep, type SweepHit } from '@nest-mark/station';
import { Lab, readCard } from '../src/index';
import { loadState } from '../src/state';

const run = promisify(execFile);
const bootOffset = 4096 * 512;
let folder = '';
let lab: Lab;
let blankDisk: Uint8Array;

beforeAll(() => {
  const work = mkdtempSync(join(tmpdir(), 'nest-mark-disk-'));
  const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin` };
  const tool = (command: string, args: string[], input?: string): unknown =>
    execFileSync(command, args, { input, env, stdio: ['pipe', 'pipe', 'pipe'] });
  const disk = join(work, 'disk.img');
  writeFileSync(disk, '');
  truncateSync(disk, 12 << 20);
  tool('sfdisk', ['-q', disk], 'label: dos\n4096,16384,c,*\n');
  const boot = join(work, 'boot.img');
  tool('mkfs.fat', ['-C', '-F', '16', '-s', '1', '-n', 'CIDATA', boot, '8192']);
  tool('mmd', ['-i', boot, '::extlinux']);
  writeFileSync(join(work, 'conf'), 'LABEL x\n  KERNEL ../vmlinuz\n');
  tool('mcopy', ['-i', boot, join(work, 'conf'), '::extlinux/extlinux.conf']);
  tool('mcopy', ['-i', boot, join(work, 'conf'), '::vmlinuz']);
  const bytes = readFileSync(disk);
  readFileSync(boot).copy(bytes, bootOffset);
  blankDisk = new Uint8Array(bytes);
  rmSync(work, { recursive: true });
});

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-board-'));
  lab = await Lab.open(folder, '127.62.1');
  await lab.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  await lab.view();
});
afterEach(async () => {
  await lab.close();
  rmSync(folder, { recursive: true, force: true });
});

const HOTSPOT = {
  on: true,
  ssid: 'Keepers hotspot',
  passphrase: 'eelgrass and mud',
  bands: ['2.4 GHz'] as ['2.4 GHz'],
  hidden: false,
  apart: false,
  clients: null,
  sleepsAfter: null,
};

const network = (ssid: string, passphrase = 'low tide at seven', priority = 10): NetworkSettings => ({
  ssid: new TextEncoder().encode(ssid),
  security: 'wpa2-psk',
  key: preSharedKey(ssid, passphrase),
  hidden: false,
  priority,
});

function settings(change: Partial<FirstBootSettings> = {}): FirstBootSettings {
  return {
    mark: '7KQ4M',
    nest: 'A1',
    deviceId: 'd',
    batchId: 'b',
    batchName: 'Tanks',
    hostName: 'tank-01',
    user: { name: 'keeper', keys: [], passwordHash: null, passwordLogin: false, sudo: 'usual', groups: [] },
    hostKey: makeHostKey(randomBytes(32), randomBytes(4), '7KQ4M'),
    others: [],
    networks: [network('Saltmarsh Bench')],
    country: 'DK',
    timeZone: 'Europe/Copenhagen',
    locale: 'C.UTF-8',
    ...plainExtras,
    instanceId: 'i-1',
    ...change,
  };
}

async function makeCard(
  given: FirstBootSettings,
  spoil: (files: { path: string; content: Uint8Array }[]) => void = () => undefined,
): Promise<Uint8Array> {
  const files = cardFilesOf('declarative-seed', given, noBase);
  spoil(files);
  const size = 8 << 20;
  const patches = await personalise(
    new SliceSource(new MemorySource(blankDisk), bootOffset, size),
    { offset: bootOffset, size },
    files,
  );
  const disk = blankDisk.slice();
  applyPatches(disk, 0, shiftPatches(patches, 0));
  return disk;
}

/** Puts octets onto a card of the drawer, seats it and powers its board; returns what the board does. */
async function boot(
  card: Uint8Array,
  nest = 'A1',
  cardId = 'card-01',
): Promise<PracticeView['boards'][number]> {
  const file = join(folder, 'cards', `${cardId}.img`);
  writeFileSync(file, card);
  truncateSync(file, 16e9);
  await lab.act({ do: 'seatCard', cardId, nest });
  await lab.act({ do: 'power', nest, on: true });
  for (const end = Date.now() + 60_000; Date.now() < end;) {
    const board = (await lab.view()).boards.find((candidate) => candidate.nest === nest);
    if (board && board.phase !== 'starting') return board;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
  throw new Error('the board never came to an end');
}

const edit =
  (name: string, change: (text: string) => string) => (files: { path: string; content: Uint8Array }[]) => {
    for (const file of files)
      if (file.path === name)
        file.content = new TextEncoder().encode(change(new TextDecoder().decode(file.content)));
  };

describe('a stand-in board', () => {
  it('lets OpenSSH in with the exported files, and nobody with another host key', async () => {
    const key = join(folder, 'id');
    execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-f', key]);
    chmodSync(key, 0o600);
    const given = settings({
      user: {
        name: 'keeper',
        keys: [readFileSync(`${key}.pub`, 'utf8').trim()],
        passwordHash: null,
        passwordLogin: false,
        sudo: 'usual',
        groups: [],
      },
    });
    const board = await boot(await makeCard(given));
    expect(board).toMatchObject({ phase: 'online', hostName: 'tank-01', reason: '' });
    const target = handed({
      hostName: 'tank-01',
      mark: '7KQ4M',
      hostKey: given.hostKey.publicLine.split(' ').slice(0, 2).join(' '),
      address: board.address,
      port: 2222,
      userName: 'keeper',
      copiedTo: [],
    });
    const known = join(folder, 'known_hosts');
    const config = join(folder, 'config');
    writeFileSync(known, knownHosts([target]));
    writeFileSync(config, sshConfig([target], { knownHostsFile: known, jump: '' }));
    const login = (command: string): Promise<{ stdout: string }> =>
      run('ssh', ['-F', config, '-i', key, '-o', 'BatchMode=yes', 'tank-01', command]);
    expect((await login('hostname')).stdout).toBe('tank-01\n');
    expect(JSON.parse((await login('cat /etc/nest-mark.json')).stdout)).toMatchObject({
      mark: '7KQ4M',
      nest: 'A1',
    });
    // What is not the user's to do is refused as a real system does.
    await expect(login('reboot')).rejects.toMatchObject({ code: 1 });
    await expect(login('nosuchprogram')).rejects.toMatchObject({ code: 127 });
    const direct = [
      '-o',
      `UserKnownHostsFile=${known}`,
      '-o',
      'StrictHostKeyChecking=yes',
      '-o',
      'BatchMode=yes',
      '-i',
      key,
      '-p',
      '2222',
      `keeper@${board.address ?? ''}`,
      'true',
    ];
    await expect(run('ssh', direct)).resolves.toBeDefined();
    const other = makeHostKey(randomBytes(32), randomBytes(4), '').publicLine;
    writeFileSync(known, knownHosts([{ ...target, hostKey: other }]));
    await expect(login('hostname')).rejects.toMatchObject({
      stderr: expect.stringContaining('verification failed') as string,
    });
  });

  it('takes a password only when that is switched on', async () => {
    const user = {
      name: 'keeper',
      keys: [],
      passwordHash: sha512Crypt('oyster beds 12', 'saltsalt'),
      passwordLogin: true,
      sudo: 'usual' as const,
      groups: [],
    };
    const read = await readCard(new MemorySource(await makeCard(settings({ user }))));
    expect(read.users).toEqual([{ name: 'keeper', keys: [], hash: user.passwordHash, sudo: 'ask' }]);
    expect(read.passwordLogin).toBe(true);
    const locked = await readCard(new MemorySource(await makeCard(settings())));
    expect([locked.users[0]?.hash, locked.passwordLogin]).toEqual([null, false]);
  });

  const open: Partial<FirstBootSettings> = {
    networks: [{ ...network('Saltmarsh Bench'), security: 'open', key: '' }],
  };
  const wifi = (ssid: string, passphrase?: string): Partial<FirstBootSettings> => ({
    networks: [network(ssid, passphrase)],
  });
  it.each([
    ['a misspelt network name', wifi('Saltmarsh bench'), 'not on the air'],
    ['a wrong passphrase', wifi('Saltmarsh Bench', 'low tide at eight'), 'refuses its key'],
    ['WPA settings left out', open, 'takes the network for an open one'],
    ['another country', { country: 'NO' }, 'country is NO'],
    ['no country', { country: '' }, 'country'],
  ])('stays off the network with %s', async (_name, change, reason) => {
    const board = await boot(await makeCard(settings(change)));
    expect(board.phase).toBe('offline');
    expect(board.reason).toContain(reason);
    expect(board.address).toBeNull();
  });

  it.each([
    ['an empty card', () => Promise.resolve(new Uint8Array(1 << 20)), 'does not start'],
    [
      'a card without its first block',
      async () => (await makeCard(settings())).fill(0, 0, 512),
      'does not start',
    ],
    [
      'a card with a spoilt kernel path',
      async () => {
        const card = await makeCard(settings());
        const at = Buffer.from(card).indexOf('KERNEL ../vmlinuz');
        card.set(Buffer.from('KERNEL ../vmlinux'), at);
        return card;
      },
      'kernel',
    ],
  ])('does not start from %s', async (_name, card, reason) => {
    const board = await boot(await card());
    expect([board.phase, board.reason.includes(reason)]).toEqual(['offline', true]);
  });

  it.each([
    ['a missing first line', edit('user-data', (text) => text.replace('#cloud-config\n', '')), 'first line'],
    ['a byte-order mark', edit('user-data', (text) => `\uFEFF${text}`), 'first line'],
    [
      'a tab for indentation',
      edit('user-data', (text) => text.replace('    groups', '\tgroups')),
      'user-data',
    ],
  ])('comes up without user and prepared key after %s', async (_name, spoil, ignored) => {
    const read = await readCard(new MemorySource(await makeCard(settings(), spoil)));
    expect(read.users).toEqual([]);
    expect(read.hostKey).toBeNull();
    expect(read.ignored.join()).toContain(ignored);
  });

  it('ignores the whole seed when meta-data is not there', async () => {
    const read = await readCard(new MemorySource(await makeCard(settings(), (files) => files.splice(0, 1))));
    expect(read.ignored.join()).toContain('meta-data');
    expect(read.radio.networks).toEqual([]);
  });

  it('is found by the sweep under the key of its card, the access point as a stranger; power off ends it', async () => {
    const given = settings();
    const board = await boot(await makeCard(given), 'B7');
    const addresses = [1, 19, 20, 21].map((host) => `127.62.1.${String(host)}`);
    const search = async (): Promise<SweepHit[]> => {
      const hits: SweepHit[] = [];
      await sweep(addresses, 2222, { onHit: (hit) => void hits.push(hit) });
      return hits;
    };
    const hits = await search();
    expect(hits.map((hit) => hit.address).sort()).toEqual(['127.62.1.1', board.address]);
    expect(hits.find((hit) => hit.address === board.address)?.key).toEqual({
      hostKey: given.hostKey.publicLine.split(' ').slice(0, 2).join(' '),
      proven: true,
    });
    expect((await lab.neighbours.read()).get(board.address ?? '')).toBe(board.hardwareAddress);
    expect(board.hardwareAddress).toMatch(/^02(:[0-9a-f]{2}){5}$/);
    await lab.act({ do: 'power', nest: 'B7', on: false });
    expect((await search()).map((hit) => hit.address)).toEqual(['127.62.1.1']);
  });

  it('runs out of addresses, and is there again after the bench was closed and opened', async () => {
    await lab.close();
    const state = JSON.parse(readFileSync(join(folder, 'lab.json'), 'utf8')) as { air: { poolSize: number } };
    state.air.poolSize = 1;
    writeFileSync(join(folder, 'lab.json'), JSON.stringify(state));
    lab = await Lab.open(folder, '127.62.1');
    expect((await boot(await makeCard(settings()), 'A1', 'card-01')).phase).toBe('online');
    expect((await boot(await makeCard(settings()), 'A2', 'card-02')).reason).toContain('no address left');
    await lab.close();
    lab = await Lab.open(folder, '127.62.1');
    const phases = async (): Promise<string[]> => (await lab.view()).boards.map(({ phase }) => phase);
    for (const end = Date.now() + 60_000; (await phases()).includes('starting') && Date.now() < end;)
      await new Promise((resolve) => setTimeout(resolve, 20));
    expect(await phases()).toContain('online');
  });
});

describe('hands on the practice bench', () => {
  it('cannot do what hands cannot do', async () => {
    await lab.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
    await expect(lab.act({ do: 'insert', cardId: 'card-02', slotId: 'slot-1' })).rejects.toThrow('already');
    await expect(lab.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-2' })).rejects.toThrow(
      'Take it out',
    );
    await expect(lab.act({ do: 'insert', cardId: 'nothing', slotId: 'slot-2' })).rejects.toThrow(
      'no such card',
    );
    await expect(lab.act({ do: 'power', nest: 'Q9', on: true })).rejects.toThrow('no board');
  });

  it('describe what lies on a card', async () => {
    writeFileSync(join(folder, 'cards', 'card-01.img'), await makeCard(settings()));
    truncateSync(join(folder, 'cards', 'card-01.img'), 16e9);
    await lab.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
    await lab.act({ do: 'insert', cardId: 'card-02', slotId: 'slot-2' });
    const [first, second, third] = await lab.reader.list();
    expect(first?.medium?.holds).toBe('the card of tank-01 (mark 7KQ4M, nest A1)');
    expect(second?.medium?.holds).toBe('nothing that can be read');
    expect(third?.medium).toBeNull();
    await lab.act({ do: 'seat', batchId: 'b' });
    expect((await lab.view()).boards).toMatchObject([{ nest: 'A1', cardId: 'card-01', phase: 'off' }]);
    await lab.act({ do: 'insertFresh' });
    expect((await lab.view()).slots.map((slot) => slot.cardId)).toEqual([
      'card-03',
      'card-02',
      'card-04',
      'card-05',
    ]);
  });
});

describe('a hotspot that goes off by itself', () => {
  const air = { ...HOTSPOT, sleepsAfter: 0.3 };
  const isOn = async (): Promise<boolean | undefined> => (await lab.view()).other?.on;
  const until = async (well: () => Promise<boolean>): Promise<void> => {
    for (const end = Date.now() + 30_000; Date.now() < end;) {
      if (await well()) return;
      await new Promise((resolve) => setTimeout(resolve, 20));
    }
    throw new Error('it never came to that');
  };

  it('does so when nobody is on it, is put on again by hand, and stays on while a board is there', async () => {
    await lab.act({ do: 'other-air', air });
    await until(async () => (await isOn()) === false);
    expect(loadState(join(folder, 'lab.json'))?.other?.on).toBe(false);
    await lab.act({ do: 'other-air', air: { ...air, sleepsAfter: null } });
    const board = await boot(await makeCard(settings({ networks: [network(air.ssid, air.passphrase)] })));
    expect(board).toMatchObject({ phase: 'online', address: '127.62.65.20' });
    await lab.act({ do: 'other-air', air });
    await new Promise((resolve) => setTimeout(resolve, 1000));
    expect(await isOn()).toBe(true);
    // Its time begins when the last one has gone.
    await lab.act({ do: 'power', nest: 'A1', on: false });
    await until(async () => (await isOn()) === false);
  });
});
