import { execFileSync, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  cautionOf,
  FileSource,
  LinuxReader,
  lookAtCard,
  overrules,
  readLsblk,
  refuseMedium,
  sameMedium,
  type KernelFacts,
  type Medium,
} from '../src/index';

const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin` };
const asRoot = process.getuid?.() === 0;
const MiB = 1 << 20;

let folder: string;
const attached: string[] = [];
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'nest-mark-medium-'))));
afterEach(() => {
  for (const device of attached.splice(0)) spawnSync('losetup', ['-d', device], { env });
  rmSync(folder, { recursive: true, force: true });
});

function file(name: string, size: number): string {
  const path = join(folder, name);
  writeFileSync(path, '');
  truncateSync(path, size);
  return path;
}

/** A card with pictures of a camera on it. */
function photographs(name: string, size: number): string {
  const path = file(name, size);
  execFileSync('mkfs.fat', ['-F', '16', path], { env, stdio: 'pipe' });
  execFileSync('mmd', ['-i', path, '::DCIM'], { env });
  const picture = join(folder, 'picture');
  writeFileSync(picture, randomBytes(20_000));
  execFileSync('mcopy', ['-i', path, picture, '::DCIM/0001.JPG'], { env });
  return path;
}

const attach = (path: string, device?: string): string => {
  const given = device ?? execFileSync('losetup', ['-f'], { env, encoding: 'utf8' }).trim();
  execFileSync('losetup', [given, path], { env });
  if (!attached.includes(given)) attached.push(given);
  return given;
};
const swap = (device: string, path: string): void => {
  execFileSync('losetup', ['-d', device], { env });
  attach(path, device);
};

(asRoot ? describe : describe.skip)('a reader that gives no serial number', () => {
  const of = (device: string, facts?: (name: string) => Promise<KernelFacts>): LinuxReader =>
    new LinuxReader({ offers: ({ path }) => path === device, ...(facts ? { facts } : {}) });
  const medium = async (reader: LinuxReader, look?: 'anew'): Promise<Medium> =>
    (await reader.list(look))[0]!.medium!;

  it('what was seen of a blank is not said of the card with photographs that came in its place', async () => {
    const device = attach(file('blank.img', 32 * MiB));
    const reader = of(device);
    const blank = await medium(reader);
    expect([blank.identity.serial, blank.holds]).toEqual(['', 'nothing that can be read']);
    swap(device, photographs('camera.img', 32 * MiB));
    const now = await medium(reader);
    expect(now.holds).toMatch(/^one fat16 .*file system without partitions$/);
    expect(now.caution).toContain('pictures of a camera');
    expect(sameMedium(blank.identity, now.identity)).toBe(false);
  });

  it('the photographs are not opened under the identity of the blank, also when the kernel notices nothing', async () => {
    const device = attach(file('blank.img', 32 * MiB));
    // Some readers do not tell that a card was changed; nothing but its contents speaks then.
    const unaware = (): Promise<KernelFacts> => Promise.resolve({ changes: '1', cid: '', soldered: false });
    const reader = of(device, unaware);
    const [slot] = await reader.list();
    const camera = photographs('camera.img', 32 * MiB);
    const before = readFileSync(camera);
    swap(device, camera);
    await expect(reader.open(slot!.id, slot!.medium!.identity)).rejects.toMatchObject({ code: 'changed' });
    expect(readFileSync(camera).equals(before)).toBe(true);
    // Looked at anew, it is told for what it is.
    expect((await medium(reader, 'anew')).holds).toContain('fat16');
  });

  it('a kernel that does not count changes is never believed to have seen none', async () => {
    const device = attach(file('blank.img', 32 * MiB));
    const reader = of(device, () => Promise.resolve({ changes: null, cid: '', soldered: false }));
    expect((await medium(reader)).holds).toBe('nothing that can be read');
    swap(device, photographs('camera.img', 32 * MiB));
    expect((await medium(reader)).holds).toContain('fat16');
  });

  it('the card’s own identification is its serial, the reader’s never; soldered flash is told', async () => {
    const device = attach(file('a.img', 32 * MiB));
    const cid = '035344534332384780a1b2c3d4016600';
    expect(
      (await medium(of(device, () => Promise.resolve({ changes: '1', cid, soldered: false })))).identity
        .serial,
    ).toBe(cid);
    const flash = of(device, () => Promise.resolve({ changes: '1', cid, soldered: true }));
    expect((await medium(flash)).caution).toContain('inside the computer');
    const printed = {
      name: 'sda',
      path: '/dev/sda',
      type: 'disk',
      size: 1e9,
      serial: 'reader-1',
      tran: 'usb',
      rm: true,
      'maj:min': '8:0',
    };
    expect(readLsblk(JSON.stringify({ blockdevices: [printed] }))[0]!.medium.identity.serial).toBe('');
  });
});

describe('what a medium holds is enough to refuse it', () => {
  const card: Medium = {
    identity: { path: 'p', size: 16e9, serial: '', content: 'c' },
    model: 'Practice card',
    removable: true,
    readOnly: false,
    mounted: [],
    system: false,
    holds: '',
    caution: null,
    label: null,
  };
  const volume = (fileSystem: string, label = '', size = 8e9) => ({ fileSystem, label, size });

  it.each([
    ['a blank card', { volumes: [] }, false],
    ['a card as it comes from the shop', { volumes: [volume('exfat')] }, false],
    [
      'a board’s old card',
      { volumes: [volume('fat32', 'boot'), volume('ext', 'root')], names: ['boot', 'etc'] },
      false,
    ],
    ['a disk on the computer’s own bus', { bus: 'sata' }, true],
    ['a disk with a computer’s file system', { volumes: [volume('ntfs', 'Family')] }, true],
    ['an encrypted disk', { volumes: [volume('crypto_LUKS')] }, true],
    ['a disk that names itself a back-up', { volumes: [volume('exfat', 'BACKUP 2025')] }, true],
    [
      'a disk with a folder of back-ups',
      { volumes: [volume('ext')], names: ['Backups', 'lost+found'] },
      true,
    ],
    ['pictures of a camera', { volumes: [volume('fat32')], names: ['DCIM', 'MISC'] }, true],
    ['a large disk with a large file system', { size: 500e9, volumes: [volume('exfat', '', 499e9)] }, true],
    [
      'a large card that an image was written to',
      { size: 128e9, volumes: [volume('fat32', 'boot', 5e8), volume('ext', '', 4e9)] },
      false,
    ],
  ] as [string, Partial<Parameters<typeof cautionOf>[0]>, boolean][])('%s', (_name, signs, cautioned) => {
    const caution = cautionOf({ size: 16e9, bus: 'usb', volumes: [], names: [], ...signs });
    expect(caution !== null).toBe(cautioned);
    expect(refuseMedium({ ...card, caution }, 1)?.code ?? null).toBe(cautioned ? 'holds' : null);
  });

  it('is overruled by its sentence and by nothing else; a system disk by no sentence', () => {
    const refusal = refuseMedium({ ...card, caution: 'it has file systems of a computer (ntfs)' }, 1)!;
    expect(refusal.overruledBy).toBe('erase Practice card with 16 GB and all that is on it');
    expect(overrules(' Erase  practice card with 16 GB and all that is on it', refusal)).toBe(true);
    for (const typed of ['', 'erase 1', 'yes', null, undefined])
      expect(overrules(typed, refusal)).toBe(false);
    const system = refuseMedium({ ...card, system: true, caution: 'x' }, 1)!;
    expect([system.overruledBy, overrules('', system)]).toEqual([null, false]);
  });

  it('file systems are named as blkid names them (util-linux)', async () => {
    const make: [string, (path: string) => unknown, string][] = [
      ['fat', (path) => execFileSync('mkfs.fat', ['-F', '32', path], { env, stdio: 'pipe' }), 'vfat'],
      ['ext', (path) => execFileSync('mke2fs', ['-q', '-t', 'ext4', path], { env, stdio: 'pipe' }), 'ext4'],
      ['swap', (path) => execFileSync('mkswap', [path], { env, stdio: 'pipe' }), 'swap'],
      // No maker of these is at hand: the signature that blkid looks for is put where it looks.
      ['xfs', (path) => place(path, 0, 'XFSB'), ''],
      ['luks', (path) => place(path, 0, 'LUKS\xba\xbe\x00\x01'), 'crypto_LUKS'],
    ];
    for (const [ours, work, theirs] of make) {
      const path = file(`${ours}.img`, 64 * MiB);
      work(path);
      const source = await FileSource.open(path);
      const look = await lookAtCard(source, 'usb');
      await source.close();
      const said = spawnSync('blkid', ['-p', '-o', 'value', '-s', 'TYPE', path], {
        env,
        encoding: 'utf8',
      }).stdout.trim();
      if (theirs !== '') expect(said).toBe(theirs);
      expect(look.holds).toContain(ours);
    }
  });

  function place(path: string, at: number, text: string): void {
    const bytes = readFileSync(path);
    bytes.write(text, at, 'latin1');
    writeFileSync(path, bytes);
  }
});
