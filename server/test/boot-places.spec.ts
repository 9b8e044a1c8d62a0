import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type {
  Batch,
  BatchProgress,
  Image,
  PracticeView,
  Problem,
  Proposal,
  SlotCheck,
} from '@nest-mark/core';
import { TestServer, tankPlan } from './helpers/server';

const network = '127.61.48';
const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin` };
const MiB = 1 << 20;
const folder = mkdtempSync(join(tmpdir(), 'nest-mark-one-root-'));

/** An image that is one ext4 root: a kernel, a boot loader's list and cloud-init in it, by Debian's own tools. */
function rootImage(): string {
  const tree = join(folder, 'tree');
  const put = (path: string, text: string): void => {
    mkdirSync(join(tree, path, '..'), { recursive: true });
    writeFileSync(join(tree, path), text);
  };
  put('boot/vmlinuz', 'a kernel');
  put('boot/extlinux/extlinux.conf', 'DEFAULT r\nLABEL r\n  KERNEL ../vmlinuz\n  APPEND root=/dev/x\n');
  put('etc/fstab', '/dev/x / ext4 defaults 0 1\n');
  put('etc/os-release', 'NAME="Reed OS"\nVERSION_ID="2"\n');
  put('etc/cloud/cloud.cfg', 'datasource_list: [ NoCloud, None ]\n');
  for (const program of [
    'usr/bin/cloud-init',
    'usr/bin/bash',
    'usr/bin/sudo',
    'usr/sbin/sshd',
    'usr/sbin/netplan',
    'usr/sbin/wpa_supplicant',
    'usr/sbin/NetworkManager',
  ])
    put(program, 'a program\n');
  put('etc/shadow', 'root:*:20000:0:99999:7:::\n');
  const root = join(folder, 'root.img');
  const size = 24 * MiB;
  writeFileSync(root, Buffer.alloc(size));
  execFileSync('mke2fs', ['-q', '-t', 'ext4', '-d', tree, root], { env, stdio: 'pipe' });
  const disk = join(folder, 'reed-os.img');
  writeFileSync(disk, Buffer.alloc(size + 2 * MiB));
  execFileSync('sfdisk', ['-q', disk], {
    env,
    input: `label: dos\nstart=2048, size=${String(size / 512)}, type=83, bootable\n`,
  });
  const bytes = readFileSync(disk);
  readFileSync(root).copy(bytes, MiB);
  writeFileSync(disk, bytes);
  return disk;
}

let server: TestServer;
let image: Image;
let batch: Batch;
beforeAll(async () => {
  server = await TestServer.start(network);
  image = await server.shelve(rootImage());
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  batch = await server.batch(tankPlan(2, image.id, network));
  await server.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
});
afterAll(async () => {
  await server.end();
  rmSync(folder, { recursive: true, force: true });
});

const proposal = async (): Promise<Proposal['cards'][number]> =>
  (await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`)).cards.find(
    ({ slotId }) => slotId === 'slot-1',
  )!;

describe('an image that is one ext root', () => {
  it('is shelved with the method that its root takes, and where that looks', () => {
    expect(image).toMatchObject({ state: 'ready', method: 'declarative-seed' });
    expect(image.methodReason).toContain('/var/lib/cloud/seed/nocloud');
  });

  it('what a kill left of the files of cards is gone after the next start', async () => {
    const left = join(server.folder, 'shelf', image.id, 'root-killed');
    mkdirSync(left);
    writeFileSync(join(left, '0'), 'a key');
    await server.restart();
    expect(existsSync(left)).toBe(false);
  });

  it('is written with its files in the root: e2fsck is silent, the card is known again, and the board is proved', async () => {
    await server.ended(batch.id, (await server.arm(batch.id)).id);
    const card = join(server.folder, 'practice/cards/card-01.img');
    const root = join(folder, 'written.img');
    execFileSync('dd', [`if=${card}`, `of=${root}`, 'bs=1M', 'skip=1', 'count=24', 'status=none']);
    execFileSync('e2fsck', ['-f', '-n', root], { env, stdio: 'pipe' });
    const cat = (path: string): string =>
      execFileSync('debugfs', ['-R', `cat ${path}`, root], {
        env,
        encoding: 'utf8',
        stdio: ['ignore', 'pipe', 'pipe'],
      });
    expect(cat('/var/lib/cloud/seed/nocloud/user-data')).toContain('hostname: tank-01');
    expect(cat('/boot/extlinux/extlinux.conf')).toContain('KERNEL ../vmlinuz');
    expect(JSON.parse(cat('/boot/nest-mark.json'))).toMatchObject({ hostName: 'tank-01' });
    const medium = (await proposal()).medium!;
    expect(medium.holds).toContain('the card of tank-01');
    const check = await server.ok<SlotCheck>('POST', '/slots/slot-1/check', { identity: medium.identity });
    expect(check).toMatchObject({
      acts: 'declarative-seed',
      settings: { hostName: 'tank-01' },
      plan: { changes: [] },
    });
    expect(check.findings.filter(({ severity }) => severity === 'stops')).toEqual([]);
    await server.act({ do: 'pull', slotId: 'slot-1' });
    await server.act({ do: 'seatCard', cardId: 'card-01', nest: 'A1' });
    await server.act({ do: 'power', nest: 'A1', on: true });
    await server.until(async () => {
      const { boards } = await server.ok<PracticeView>('GET', '/practice');
      const board = boards.find(({ nest }) => nest === 'A1');
      return board && board.phase !== 'starting' ? board : null;
    });
    await server.search(batch.id, `${network}.0/24`);
    const found = await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`);
    expect(found.devices[0]!.seen?.standing).toBe('proved');
  });
});

/** An image with two FAT partitions: the first for firmware, the second is the one that a board starts from. */
function twoBoots(): string {
  const disk = join(folder, 'two.img');
  writeFileSync(disk, Buffer.alloc(18 * MiB));
  execFileSync('sfdisk', ['-q', disk], {
    env,
    input: 'label: dos\nstart=2048, size=16384, type=6\nstart=18432, size=16384, type=6, bootable\n',
  });
  const bytes = readFileSync(disk);
  const files: [number, string, Record<string, string>][] = [
    [1, 'FIRMWARE', { 'loader.bin': 'x' }],
    [
      9,
      'BOOT',
      {
        'extlinux/extlinux.conf': 'LABEL x\n  KERNEL ../vmlinuz\n  APPEND ds=nocloud\n',
        vmlinuz: 'a kernel',
        'meta-data': 'instance-id: unset\n',
        'user-data': '#cloud-config\n',
      },
    ],
  ];
  for (const [start, label, tree] of files) {
    const part = join(folder, `${label}.img`);
    execFileSync('mkfs.fat', ['-C', '-F', '16', '-s', '1', '-n', label, part, '8192'], {
      env,
      stdio: 'pipe',
    });
    for (const [path, text] of Object.entries(tree)) {
      const local = join(folder, 'file');
      writeFileSync(local, text);
      if (path.includes('/')) execFileSync('mmd', ['-i', part, `::${path.split('/')[0]!}`], { env });
      execFileSync('mcopy', ['-i', part, local, `::${path}`], { env });
    }
    readFileSync(part).copy(bytes, start * MiB);
  }
  writeFileSync(disk, bytes);
  return disk;
}

describe('an image with two partitions that could take first-boot files', () => {
  let two: Image;
  const choose = (bootPartition: number | null): Promise<{ status: number; body: Image & Problem }> =>
    server.call<Image & Problem>('PUT', `/images/${two.id}/about`, {
      title: 'Two',
      about: { ...two.about, bootPartition },
    });
  const seedOn = (card: string, start: number): string =>
    execFileSync('mdir', ['-b', '-i', `${card}@@${String(start)}M`, '::'], { env, encoding: 'utf8' });

  beforeAll(async () => {
    two = await server.shelve(twoBoots());
    await server.act({ do: 'pullIdle' });
    await server.act({ do: 'insert', cardId: 'card-02', slotId: 'slot-1' });
    const now = await server.ok<Batch>('GET', `/batches/${batch.id}`);
    await server.ok(
      'PUT',
      `/batches/${batch.id}`,
      { plan: { ...now.plan, imageId: two.id }, secrets: {} },
      { 'If-Match': `"${String(now.version)}"` },
    );
  });

  it('proposes the one that shows what a board starts from, with the reason', () => {
    expect(two.boot).toEqual({ partition: 2, reason: 'It holds meta-data.' });
    expect(two.method).toBe('declarative-seed');
  });

  it('a person may choose the other one; what follows from it is looked at anew, whoever asks at once', async () => {
    expect((await choose(1)).body).toMatchObject({
      boot: { partition: 1, reason: 'It was chosen by hand.' },
      method: 'none',
      about: { bootPartition: 1 },
    });
    const both = await Promise.all([choose(2), choose(1), choose(null), choose(2)]);
    expect(both.map(({ status }) => status)).toEqual([200, 200, 200, 200]);
    const now = (await server.ok<Image[]>('GET', '/images')).find(({ id }) => id === two.id)!;
    expect(now.boot!.partition).toBe(now.about.bootPartition ?? 2);
    expect(await choose(3)).toMatchObject({ status: 422, body: { code: 'image-partition' } });
  });

  it('cards get their files there, and are known by them again', async () => {
    expect((await choose(1)).status).toBe(200);
    await server.call('PUT', `/images/${two.id}/about`, {
      title: 'Two',
      about: { ...two.about, bootPartition: 1, chosenMethod: 'declarative-seed' },
    });
    // Slow enough for somebody to come in the middle.
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 3e6 });
    const round = await server.arm(batch.id);
    expect(await choose(2)).toMatchObject({ status: 409, body: { code: 'image-in-use' } });
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    expect((await server.ended(batch.id, round.id)).cards[0]!.state).toBe('verified');
    expect(seedOn(join(server.folder, 'practice/cards/card-02.img'), 1)).toContain('user-data');
    expect((await proposal()).medium!.holds).toContain('the card of tank-02');
  });
});
