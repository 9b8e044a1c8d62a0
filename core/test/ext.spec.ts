import { execFileSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { mkdirSync, readFileSync, symlinkSync, writeFileSync, openSync, writeSync, closeSync } from 'node:fs';
import { dirname, join } from 'node:path';
import fc from 'fast-check';
import { crc32c, CRC32C_START, ExtVolume, MemorySource } from '../src/index';
import { inScratch, run } from './helpers/reference';
import { many } from './helpers/soak';

/** What debugfs says to a request; it is the reference for all that is read here (package e2fsprogs). */
const debugfs = (image: string, request: string, write = false): Buffer =>
  execFileSync('/usr/sbin/debugfs', [...(write ? ['-w'] : []), '-R', request, image], {
    stdio: ['ignore', 'pipe', 'ignore'],
    maxBuffer: 64 << 20,
  });

const digest = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

/**
 * Random octets, the last of them no zero: mke2fs -d (1.47) cuts a file off whose last block is zeros where data may lie
 * in inodes, so that one file of 256 was another one.
 */
function noise(size: number): Buffer {
  const octets = randomBytes(size);
  if (size > 0) octets[size - 1] = 1 + (octets[size - 1]! % 255);
  return octets;
}

/** Files of every size that tells layouts apart, with links and a folder of thousands. */
function plant(root: string, many: number): Map<string, Buffer> {
  const files = new Map<string, Buffer>();
  const put = (path: string, content: Buffer): void => {
    mkdirSync(dirname(join(root, path)), { recursive: true });
    writeFileSync(join(root, path), content);
    files.set(`/${path}`, content);
  };
  for (const size of [0, 1, 59, 60, 61, 130, 160, 1023, 1024, 4097, 12_288, 65_536, 300_001])
    put(`sizes/of-${String(size)}`, noise(size));
  put('deep/a/b/c/d/e/f/file', Buffer.from('deep\n'));
  put('few/x', Buffer.from('x'));
  for (let at = 0; at < many; at++)
    put(`many/a-name-that-takes-room-${String(at).padStart(5, '0')}`, Buffer.from(String(at)));
  symlinkSync('../sizes/of-61', join(root, 'few/short'));
  symlinkSync(`../${'deep/../'.repeat(12)}sizes/of-130`, join(root, 'few/long'));
  symlinkSync('/few/long', join(root, 'few/twice'));
  return files;
}

/** A file with more holes than the root of an extent tree has room for, so that the tree grows. */
function swissCheese(path: string, pieces: number, blockSize: number): Buffer {
  const whole = Buffer.alloc(pieces * 2 * blockSize);
  const file = openSync(path, 'w');
  for (let at = 0; at < pieces; at++) {
    const piece = randomBytes(blockSize);
    piece.copy(whole, at * 2 * blockSize);
    writeSync(file, piece, 0, blockSize, at * 2 * blockSize);
  }
  closeSync(file);
  return whole.subarray(0, (pieces * 2 - 1) * blockSize);
}

describe('an ext file system', () => {
  it.each<[string, string, string[], number]>([
    ['ext2, blocks of 1 KiB', 'ext2', ['-b', '1024'], 300],
    ['ext2, small inodes', 'ext2', ['-b', '4096', '-I', '128'], 300],
    ['ext3, block maps and a journal', 'ext3', ['-b', '1024'], 300],
    ['ext4 as it is made without asking', 'ext4', [], 300],
    [
      'ext4 with 64 bit and checksums, blocks of 1 KiB',
      'ext4',
      ['-O', '64bit,metadata_csum', '-b', '1024'],
      2000,
    ],
    ['ext4 with data in the inodes', 'ext4', ['-O', 'inline_data,64bit,metadata_csum', '-I', '256'], 300],
    ['ext4 with data in large inodes', 'ext4', ['-O', 'inline_data', '-I', '1024', '-b', '4096'], 300],
    [
      'ext4 with a seed of its own for checksums',
      'ext4',
      ['-O', 'metadata_csum,metadata_csum_seed,64bit'],
      300,
    ],
    [
      'ext4 with descriptors in meta groups',
      'ext4',
      ['-O', 'meta_bg,^resize_inode,64bit', '-b', '1024', '-g', '1024'],
      2000,
    ],
    [
      'ext4 with two superblocks only',
      'ext4',
      ['-O', 'sparse_super2,meta_bg,^resize_inode', '-b', '1024', '-g', '512'],
      300,
    ],
    ['ext4 with clusters', 'ext4', ['-O', 'bigalloc', '-C', '16384', '-b', '1024'], 300],
    ['ext4 without extents', 'ext4', ['-O', '^extents,^64bit'], 300],
    ['ext4 with blocks of 64 KiB', 'ext4', ['-b', '65536'], 300],
    ['ext4 with old checksums of the groups', 'ext4', ['-O', '^metadata_csum,uninit_bg'], 300],
  ])('%s: files, links, folders and facts as debugfs tells them', async (_title, type, options, many) => {
    await inScratch(async (folder) => {
      const root = join(folder, 'root');
      const files = plant(root, many);
      files.set('/cheese', swissCheese(join(root, 'cheese'), 700, 1024));
      const image = join(folder, 'image');
      run('mke2fs', ['-q', '-F', '-t', type, ...options, '-d', root, image, '48M']);
      // Large folders get an index as the kernel makes it; the tool that fills them leaves it to this one.
      execFileSync('/usr/sbin/e2fsck', ['-fyD', image], { stdio: 'ignore' });
      const volume = await ExtVolume.open(new MemorySource(readFileSync(image)));
      for (const [path, content] of files) {
        const read = await volume.readFile(path, 4 << 20);
        expect([path, read && digest(read)]).toEqual([path, digest(content)]);
      }
      for (const path of ['/cheese', '/sizes/of-160', '/sizes/of-300001'])
        expect(digest((await volume.readFile(path, 4 << 20))!)).toBe(digest(debugfs(image, `cat ${path}`)));
      expect((await volume.list('/many')).length).toBe(many);
      expect([...(await volume.list('/'))].sort()).toEqual(
        ['cheese', 'deep', 'few', 'lost+found', 'many', 'sizes'].sort(),
      );
      expect(await volume.readLink('/few/short')).toBe('../sizes/of-61');
      expect(await volume.readLink('/few/long')).toBe(`../${'deep/../'.repeat(12)}sizes/of-130`);
      expect(await volume.readLink('/sizes/of-61')).toBeNull();
      expect(digest((await volume.readFile('/few/twice'))!)).toBe(digest(files.get('/sizes/of-130')!));
      const facts = await volume.stat('/sizes/of-300001');
      const told = debugfs(image, 'stat /sizes/of-300001').toString();
      expect(told).toContain(`Size: ${String(facts?.size)}`);
      expect(told).toMatch(new RegExp(`Mode: +0${facts!.mode.toString(8)}`));
      expect(told).toMatch(new RegExp(`User: +${String(facts?.owner)} +Group: +${String(facts?.group)}`));
      expect((await volume.stat('/deep/a/b'))?.kind).toBe('folder');
      expect(await volume.stat('/deep/a/none')).toBeNull();
    });
  });

  it('whose tree of extents is three levels deep is read in the right order', async () => {
    await inScratch(async (folder) => {
      const root = join(folder, 'root');
      mkdirSync(root);
      const content = swissCheese(join(root, 'cheese'), 12_000, 1024);
      const image = join(folder, 'image');
      run('mke2fs', [
        '-q',
        '-F',
        '-t',
        'ext4',
        '-b',
        '1024',
        '-O',
        '64bit,metadata_csum',
        '-d',
        root,
        image,
        '48M',
      ]);
      expect(debugfs(image, 'ex /cheese').toString()).toMatch(/^ *[0-9]\/ [2-9]/m);
      const volume = await ExtVolume.open(new MemorySource(readFileSync(image)));
      expect(digest((await volume.readFile('/cheese', 64 << 20))!)).toBe(digest(content));
      // A part ends where it was asked to, in the middle of a hole or of a piece.
      for (const limit of [1, 1024, 1025, 2048, 5_000_001])
        expect(
          Buffer.from((await volume.readFile('/cheese', limit))!).equals(content.subarray(0, limit)),
        ).toBe(true);
    });
  });

  it('that was not cleanly unmounted says so', async () => {
    await inScratch(async (folder) => {
      const image = join(folder, 'image');
      run('mke2fs', ['-q', '-F', '-t', 'ext4', image, '8M']);
      const open = (): Promise<ExtVolume> => ExtVolume.open(new MemorySource(readFileSync(image)));
      expect((await open()).needsRecovery).toBe(false);
      debugfs(image, 'feature needs_recovery', true);
      expect((await open()).needsRecovery).toBe(true);
    });
  });

  it('with checksums: one changed bit of what tells where a file lies is damage, never another content', async () => {
    await inScratch(async (folder) => {
      const root = join(folder, 'root');
      mkdirSync(join(root, 'etc'), { recursive: true });
      const content = swissCheese(join(root, 'etc/cheese'), 20, 1024);
      const image = join(folder, 'image');
      run('mke2fs', [
        '-q',
        '-F',
        '-t',
        'ext4',
        '-b',
        '1024',
        '-O',
        '64bit,metadata_csum',
        '-d',
        root,
        image,
        '8M',
      ]);
      const bytes = readFileSync(image);
      // Blocks of data carry no checksum; all that debugfs says of where they lie is left whole.
      const data = new Set(debugfs(image, 'blocks /etc/cheese').toString().trim().split(/\s+/).map(Number));
      let refused = 0;
      await fc.assert(
        fc.asyncProperty(
          fc.integer({ min: 1024, max: 400 * 1024 }).filter((at) => !data.has(Math.floor(at / 1024))),
          fc.integer({ min: 0, max: 7 }),
          async (at, bit) => {
            bytes[at]! ^= 1 << bit;
            const read = await ExtVolume.open(new MemorySource(bytes))
              .then((volume) => volume.readFile('/etc/cheese', 1 << 20))
              .catch((error: unknown) => {
                expect((error as Error).name).toBe('DiskError');
                refused++;
                return content;
              });
            bytes[at]! ^= 1 << bit;
            expect(read && Buffer.from(read).equals(content)).toBe(true);
          },
        ),
        { numRuns: many(300, 1500) },
      );
      expect(refused).toBeGreaterThan(0);
    });
  });
});

it('CRC-32C of the examples of RFC 3720, appendix B.4', () => {
  const crc = (bytes: Uint8Array): number => ~crc32c(CRC32C_START, bytes) >>> 0;
  expect(crc(new Uint8Array(32))).toBe(0x8a9136aa);
  expect(crc(new Uint8Array(32).fill(0xff))).toBe(0x62a8ab43);
  expect(crc(Uint8Array.from({ length: 32 }, (_, at) => at))).toBe(0x46dd794e);
  expect(crc(Uint8Array.from({ length: 32 }, (_, at) => 31 - at))).toBe(0x113fdb5c);
});
