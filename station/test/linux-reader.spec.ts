import { execFileSync, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import {
  mkdtempSync,
  openSync,
  readFileSync,
  readSync,
  closeSync,
  rmSync,
  symlinkSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  blockDigest,
  CardError,
  LinuxReader,
  LSBLK_ARGUMENTS,
  openRaw,
  readLsblk,
  refuseMedium,
  writeGang,
  type BlockDevice,
} from '../src/index';

const sbin = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin` };

/** What lsblk prints on a bench computer with a reader of two slots, a USB stick in use and a backup disk (from memory of its form; the real call is compared below). */
const bench = JSON.stringify({
  blockdevices: [
    {
      name: 'nvme0n1',
      path: '/dev/nvme0n1',
      type: 'disk',
      size: 512e9,
      model: 'Inside',
      serial: 'n1',
      tran: 'nvme',
      rm: false,
      hotplug: false,
      ro: false,
      mountpoints: [null],
      'maj:min': '259:0',
      children: [
        {
          name: 'nvme0n1p1',
          path: '/dev/nvme0n1p1',
          type: 'part',
          size: 1e9,
          rm: false,
          hotplug: false,
          ro: false,
          mountpoints: ['/boot/efi'],
          fstype: 'vfat',
          'maj:min': '259:1',
        },
        {
          name: 'nvme0n1p2',
          path: '/dev/nvme0n1p2',
          type: 'part',
          size: 5e11,
          rm: false,
          hotplug: false,
          ro: false,
          mountpoints: [null],
          fstype: 'crypto_LUKS',
          'maj:min': '259:2',
          children: [
            {
              name: 'root',
              path: '/dev/mapper/root',
              type: 'crypt',
              size: 5e11,
              rm: false,
              hotplug: false,
              ro: false,
              mountpoints: ['/'],
              fstype: 'ext4',
              'maj:min': '254:0',
            },
          ],
        },
      ],
    },
    {
      name: 'sda',
      path: '/dev/sda',
      type: 'disk',
      size: 31914983424,
      vendor: 'Generic ',
      model: 'Reader A  ',
      serial: '000111',
      tran: 'usb',
      rm: true,
      hotplug: true,
      ro: false,
      mountpoints: [null],
      'maj:min': '8:0',
      children: [
        {
          name: 'sda1',
          path: '/dev/sda1',
          type: 'part',
          size: 268435456,
          rm: true,
          hotplug: true,
          ro: false,
          mountpoints: ['/media/keeper/bootfs'],
          fstype: 'vfat',
          label: 'bootfs',
          'maj:min': '8:1',
        },
        {
          name: 'sda2',
          path: '/dev/sda2',
          type: 'part',
          size: 3e9,
          rm: true,
          hotplug: true,
          ro: false,
          mountpoints: [null],
          fstype: 'ext4',
          label: 'rootfs',
          'maj:min': '8:2',
        },
      ],
    },
    {
      name: 'sdb',
      path: '/dev/sdb',
      type: 'disk',
      size: 0,
      vendor: 'Generic ',
      model: 'Reader B',
      serial: '000111',
      tran: 'usb',
      rm: true,
      hotplug: true,
      ro: false,
      mountpoints: [null],
      'maj:min': '8:16',
    },
    {
      name: 'sdc',
      path: '/dev/sdc',
      type: 'disk',
      size: 2000398934016,
      model: 'Backup',
      serial: 'b2',
      tran: 'usb',
      rm: false,
      hotplug: true,
      ro: false,
      mountpoints: [null],
      'maj:min': '8:32',
    },
    {
      name: 'sdd',
      path: '/dev/sdd',
      type: 'disk',
      size: 4e12,
      model: 'Array',
      serial: 'd',
      tran: 'sata',
      rm: false,
      hotplug: false,
      ro: false,
      mountpoints: [null],
      'maj:min': '8:48',
      children: [
        {
          name: 'md0',
          path: '/dev/md0',
          type: 'raid1',
          size: 4e12,
          rm: false,
          hotplug: false,
          ro: false,
          mountpoints: [null],
          'maj:min': '9:0',
        },
      ],
    },
    {
      name: 'mmcblk0',
      path: '/dev/mmcblk0',
      type: 'disk',
      size: 15931539456,
      serial: '0xabc',
      tran: null,
      rm: false,
      hotplug: false,
      ro: true,
      mountpoints: [null],
      'maj:min': '179:0',
    },
    {
      name: 'sr0',
      path: '/dev/sr0',
      type: 'rom',
      size: 1e9,
      rm: true,
      hotplug: true,
      ro: false,
      mountpoints: [null],
      'maj:min': '11:0',
    },
  ],
});

describe('what lsblk prints', () => {
  const found = new Map(readLsblk(bench).map((device) => [device.path, device]));
  const refusal = (path: string): string | null =>
    refuseMedium({ ...found.get(path)!.medium, caution: null }, 4e9)?.code ?? null;

  it('disks of the computer are never written: the one it runs from, also through encryption, and members of an array', () => {
    expect(refusal('/dev/nvme0n1')).toBe('system');
    expect(refusal('/dev/sdd')).toBe('system');
  });

  it('a card in use waits until it is released, a locked one until its lock is slid, a backup disk is too large', () => {
    expect(refusal('/dev/sda')).toBe('mounted');
    expect(found.get('/dev/sda')!.inUse).toEqual([{ path: '/dev/sda1', mountedAt: '/media/keeper/bootfs' }]);
    expect(refusal('/dev/mmcblk0')).toBe('protected');
    expect(refusal('/dev/sdc')).toBe('large');
  });

  it('empty slots and optical drives are no cards; names and contents are in plain words', () => {
    expect([...found.keys()]).toEqual(['/dev/nvme0n1', '/dev/sda', '/dev/sdc', '/dev/sdd', '/dev/mmcblk0']);
    expect(found.get('/dev/sda')!.medium).toMatchObject({
      model: 'Generic Reader A',
      removable: true,
      holds: '2 partitions (vfat "bootfs", ext4 "rootfs")',
      // The serial that lsblk tells is the reader's, whatever card is in it.
      identity: { size: 31914983424, serial: '' },
    });
  });

  it('only media that were put in are offered', async () => {
    const reader = new LinuxReader({ list: () => Promise.resolve(bench) });
    expect((await reader.devices()).map(({ path }) => path)).toEqual([
      '/dev/sda',
      '/dev/sdc',
      '/dev/mmcblk0',
    ]);
  });

  it('of this machine can be read, and offers no disk that it runs from', async () => {
    const printed = execFileSync('lsblk', LSBLK_ARGUMENTS, { encoding: 'utf8' });
    const disks = readLsblk(printed);
    const root = disks.filter(({ medium }) => medium.mounted.includes('/'));
    for (const disk of root)
      expect(refuseMedium({ ...disk.medium, caution: null }, 0, 1e15)?.code).toBe('system');
    const offered = await new LinuxReader().devices();
    expect(offered.every(({ medium }) => !medium.system && medium.removable)).toBe(true);
  });

  describe('watched', () => {
    const none = '{ "blockdevices": [] }';
    const looks = (): Promise<void> => jest.advanceTimersByTimeAsync(10_000);
    /** Counts what is told; the kernel is not asked, which takes time that is no test's. */
    function watched(list: () => Promise<string>): { told: () => number; end: () => void } {
      const facts = () => Promise.resolve({ cid: '', changes: '', soldered: false });
      let told = 0;
      const end = new LinuxReader({ list, facts }).watch(() => told++);
      return { told: () => told, end };
    }
    beforeEach(() => jest.useFakeTimers());
    afterEach(() => jest.useRealTimers());

    it('tells of a card that was put in or taken out, once, and of nothing while there is no reader at all', async () => {
      let printed = none;
      const { told, end } = watched(() => Promise.resolve(printed));
      await looks();
      expect(told()).toBe(0);
      printed = bench;
      await looks();
      expect(told()).toBe(1);
      printed = none;
      await looks();
      expect(told()).toBe(2);
      end();
      printed = bench;
      await looks();
      expect(told()).toBe(2);
    });

    it('a look that takes long is not overtaken by the next, and tells nothing once nobody listens', async () => {
      const waiting: ((printed: string) => void)[] = [];
      const { told, end } = watched(() => new Promise((resolve) => waiting.push(resolve)));
      await looks();
      expect(waiting).toHaveLength(1);
      waiting.pop()!(none);
      await looks();
      expect(waiting).toHaveLength(1);
      waiting.pop()!(bench);
      await looks();
      expect(told()).toBe(1);
      end();
      waiting.pop()!(none);
      await looks();
      expect([told(), waiting.length]).toEqual([1, 0]);
    });
  });

  it('that is nonsense is an error and not an empty list', () => {
    expect(() => readLsblk('{}')).toThrow();
    expect(() => readLsblk('lsblk: not found')).toThrow();
  });
});

const code = (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => 'no error',
    (error: unknown) => (error instanceof CardError ? error.code : String(error)),
  );

// Loop devices need root and a kernel that has them; where they are missing this part cannot be shown.
const loops = process.getuid?.() === 0 && spawnSync('losetup', ['-f'], { env: sbin }).status === 0;

(loops ? describe : describe.skip)('a real block device', () => {
  let folder = '';
  const attached: string[] = [];
  const attach = (name: string, size: number, ...options: string[]): string => {
    const path = join(folder, name);
    writeFileSync(path, '');
    truncateSync(path, size);
    const device = execFileSync('losetup', ['-f', '--show', ...options, path], {
      env: sbin,
      encoding: 'utf8',
    }).trim();
    attached.push(device);
    return device;
  };
  const only =
    (...paths: string[]) =>
    (device: BlockDevice): boolean =>
      paths.includes(device.path);
  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'nest-mark-loop-'));
  });
  afterEach(() => {
    for (const device of attached.splice(0)) {
      spawnSync('umount', [device], { env: sbin });
      spawnSync('partx', ['-d', device], { env: sbin });
      spawnSync('losetup', ['-d', device], { env: sbin });
    }
    rmSync(folder, { recursive: true, force: true });
  });

  it('is written by the gang, verified past the cache, and its new partitions show at once', async () => {
    const device = attach('card.img', 64 << 20, '-P');
    const image = Buffer.concat([Buffer.alloc(1 << 20), randomBytes((20 << 20) + 512)]);
    const base = join(folder, 'base.img');
    writeFileSync(base, image);
    execFileSync('sfdisk', ['-q', base], { env: sbin, input: 'label: dos\nstart=2048, size=8192, type=c\n' });
    const bytes = readFileSync(base);
    const digest = await blockDigest();
    const blockSize = 4 << 20;
    const blockDigests: string[] = [];
    for (let at = 0; at < bytes.length; at += blockSize)
      blockDigests.push(digest(bytes.subarray(at, at + blockSize)));
    const reader = new LinuxReader({ offers: only(device) });
    const [slot] = await reader.list();
    expect(slot!.medium).toMatchObject({ readOnly: false, mounted: [], system: false });
    const handle = await reader.open(slot!.id, slot!.medium!.identity);
    expect(await code(reader.open(slot!.id, slot!.medium!.identity))).toBe('busy');
    const outcomes = await writeGang(
      { size: bytes.length, blockSize, blockDigests, open: () => openRaw(base) },
      [{ id: 'a', handle, patches: [] }],
    );
    expect([...outcomes.values()]).toMatchObject([{ state: 'verified', pastCache: true }]);
    const file = openSync(device, 'r');
    const back = Buffer.alloc(bytes.length);
    readSync(file, back, 0, back.length, 0);
    closeSync(file);
    expect(back.equals(bytes)).toBe(true);
    const shown = execFileSync('lsblk', ['-rno', 'TYPE', device], { encoding: 'utf8' });
    expect(shown.trim().split('\n')).toEqual(['loop', 'part']);
  });

  it('that is mounted is refused, cannot be opened all the same, and is released when asked', async () => {
    const device = attach('card.img', 32 << 20);
    execFileSync('mkfs.ext4', ['-q', device], { env: sbin });
    const place = join(folder, 'place');
    execFileSync('mkdir', [place]);
    execFileSync('mount', [device, place], { env: sbin });
    const reader = new LinuxReader({ offers: only(device) });
    const [slot] = await reader.list();
    expect(slot!.medium!.mounted).toEqual([place]);
    expect(refuseMedium({ ...slot!.medium!, removable: true }, 0)?.code).toBe('mounted');
    expect(await code(reader.open(slot!.id, slot!.medium!.identity))).toBe('busy');
    await reader.release(slot!.id);
    const [free] = await reader.list();
    expect(free!.medium!.mounted).toEqual([]);
    const handle = await reader.open(free!.id, free!.medium!.identity);
    await handle.close();
  });

  it('that became another one between looking and opening is left alone', async () => {
    const device = attach('first.img', 32 << 20);
    const reader = new LinuxReader({ offers: only(device) });
    const [slot] = await reader.list();
    execFileSync('losetup', ['-d', device], { env: sbin });
    attached.pop();
    const path = join(folder, 'second.img');
    writeFileSync(path, '');
    truncateSync(path, 48 << 20);
    execFileSync('losetup', [device, path], { env: sbin });
    attached.push(device);
    expect(await code(reader.open(slot!.id, slot!.medium!.identity))).toBe('changed');
    execFileSync('losetup', ['-d', device], { env: sbin });
    attached.pop();
    expect(await code(reader.open(slot!.id, slot!.medium!.identity))).toBe('pulled');
  });

  it('that is write-protected says so', async () => {
    const device = attach('card.img', 32 << 20, '-r');
    const reader = new LinuxReader({ offers: only(device) });
    const [slot] = await reader.list();
    expect(refuseMedium({ ...slot!.medium!, removable: true }, 0)?.code).toBe('protected');
    expect(await code(reader.open(slot!.id, slot!.medium!.identity))).toBe('protected');
  });

  it('that this account may not write says how to get the right, and is not touched', async () => {
    const device = attach('card.img', 32 << 20);
    const reader = new LinuxReader({ offers: only(device) });
    const [slot] = await reader.list();
    // As a plain user for a moment: the account "nobody" is in no group that may write to disks.
    process.seteuid!(65_534);
    try {
      const opened = reader.open(slot!.id, slot!.medium!.identity);
      await expect(opened).rejects.toMatchObject({ code: 'rights' });
      await expect(opened).rejects.toThrow(/usermod -aG disk.*udev rule.*Nothing was erased/);
    } finally {
      process.seteuid!(0);
    }
    const handle = await reader.open(slot!.id, slot!.medium!.identity);
    await handle.close();
  });

  it('a link or a file in its place is never opened', async () => {
    const device = attach('card.img', 32 << 20);
    const victim = join(folder, 'victim');
    writeFileSync(victim, 'dear diary');
    const link = join(folder, 'link');
    const printed = (path: string): string =>
      execFileSync('lsblk', [...LSBLK_ARGUMENTS, device], { encoding: 'utf8' }).replaceAll(
        `"${device}"`,
        `"${path}"`,
      );
    for (const make of [() => symlinkSync(device, link), () => writeFileSync(link, 'file')]) {
      rmSync(link, { force: true });
      make();
      const reader = new LinuxReader({ list: () => Promise.resolve(printed(link)), offers: () => true });
      const [slot] = await reader.list();
      expect(await code(reader.open(slot!.id, slot!.medium!.identity))).toBe('changed');
    }
    expect(readFileSync(victim, 'utf8')).toBe('dear diary');
  });
});
