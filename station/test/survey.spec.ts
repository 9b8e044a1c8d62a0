import { createHash, randomBytes } from 'node:crypto';
import { chmodSync, mkdtempSync, readFileSync, rmSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { CardError, LinuxReader, tryReading, type OpenedToRead } from '../src/index';

let folder = '';
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-survey-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

/** A line of lsblk for a file that stands in for a disk (its form is compared with the real program elsewhere). */
const disk = (name: string, size: number, change: object = {}) => ({
  name,
  path: join(folder, name),
  type: 'disk',
  size,
  model: `Model ${name}`,
  tran: 'usb',
  rm: true,
  hotplug: true,
  ro: false,
  mountpoints: [null],
  'maj:min': '8:0',
  ...change,
});
const readerOf = (...disks: object[]): LinuxReader =>
  new LinuxReader({ list: () => Promise.resolve(JSON.stringify({ blockdevices: disks })) });

describe('the disks of this computer', () => {
  it('are all told: what is offered, what never is and why', async () => {
    writeFileSync(join(folder, 'sda'), '');
    const found = await readerOf(
      disk('sda', 32e9),
      disk('nvme0', 512e9, { tran: 'nvme', rm: false, hotplug: false, mountpoints: ['/'] }),
      disk('sdb', 2e12, { tran: 'sata', rm: false, hotplug: false }),
      disk('sdc', 64e9, { mountpoints: ['/home'] }),
      { ...disk('loop0', 1e9), type: 'loop' },
    ).survey();
    expect(found.map(({ path, offered }) => [path.slice(folder.length + 1), offered])).toEqual([
      ['sda', true],
      ['nvme0', false],
      ['sdb', false],
      ['sdc', false],
    ]);
    expect(found.map(({ why }) => why)).toEqual([
      '',
      expect.stringContaining('runs from it'),
      'It is built in.',
      expect.stringContaining('runs from it'),
    ]);
    expect(found[0]).toMatchObject({
      model: 'Model sda',
      size: 32e9,
      bus: 'usb',
      readable: true,
      writable: true,
    });
    // One that is not there can neither be read nor written.
    expect(found[1]).toMatchObject({ readable: false, writable: false });
  });

  // Root may read and write whatever the mode is.
  (process.getuid?.() === 0 ? it.skip : it)('tell which right is missing', async () => {
    for (const [name, mode] of [
      ['all', 0o600],
      ['reads', 0o400],
      ['none', 0o000],
    ] as const) {
      writeFileSync(join(folder, name), '');
      chmodSync(join(folder, name), mode);
    }
    const found = await readerOf(disk('all', 1), disk('reads', 1), disk('none', 1)).survey();
    expect(found.map(({ readable, writable }) => [readable, writable])).toEqual([
      [true, true],
      [true, false],
      [false, false],
    ]);
  });
});

describe('trying a card', () => {
  /** A medium that notes what is asked of it. */
  const medium = (size: number, read: (offset: number) => void = () => undefined) => {
    const asked: [number, number][] = [];
    const opened: OpenedToRead = {
      size,
      read: () => Promise.reject(new Error('not asked for')),
      into: (buffer, offset) => {
        asked.push([offset, buffer.length]);
        read(offset);
        return Promise.resolve();
      },
      close: () => Promise.resolve(),
    };
    return { opened, asked };
  };

  it.each([0, 1, 4096, (1 << 20) - 1, 1 << 20, (8 << 20) + 5, 20 << 20, 32e9])(
    'of %d octets reads beginning, middle and end, nothing twice, nothing beyond',
    async (size) => {
      const { opened, asked } = medium(size);
      const { octets } = await tryReading(opened);
      expect(octets).toBe(asked.reduce((sum, [, length]) => sum + length, 0));
      expect(octets).toBeLessThanOrEqual(Math.min(size, 25 << 20));
      expect(new Set(asked.map(([offset]) => offset)).size).toBe(asked.length);
      for (const [offset, length] of asked) expect(offset + length).toBeLessThanOrEqual(size);
      const covers = (at: number) => asked.some(([offset, length]) => at >= offset && at < offset + length);
      if (size > 0) expect([covers(0), covers(size - 1)]).toEqual([true, true]);
    },
  );

  it('ends with what the medium says', async () => {
    const { opened } = medium(1 << 30, (offset) => {
      if (offset > 1 << 29) throw new CardError('io', 'The card stopped working.');
    });
    await expect(tryReading(opened)).rejects.toThrow('stopped working');
  });

  it('of a real file reads its octets and changes none of them', async () => {
    const path = join(folder, 'sda');
    writeFileSync(path, randomBytes(3 << 20));
    truncateSync(path, 40 << 20);
    const digest = (): string => createHash('sha256').update(readFileSync(path)).digest('hex');
    const before = { digest: digest(), changed: statSync(path).mtimeMs };
    const reader = readerOf(disk('sda', 40 << 20));
    const [slot] = await reader.list();
    const opened = await reader.openToRead(slot!.id);
    expect((await tryReading(opened)).octets).toBe(24 << 20);
    expect(Buffer.from(await opened.read(100, 50))).toEqual(readFileSync(path).subarray(100, 150));
    await opened.close();
    expect({ digest: digest(), changed: statSync(path).mtimeMs }).toEqual(before);
  });

  it('that was pulled is told as that', async () => {
    await expect(readerOf().openToRead('reader-sda')).rejects.toMatchObject({ code: 'pulled' });
  });
});
