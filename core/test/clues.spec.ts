import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { ExtVolume, imageClues, inspectDisk, MemorySource, widthOfHead } from '../src/index';
import { inScratch, run } from './helpers/reference';

/** A file system of Debian's mke2fs with some files in it. */
function extImage(folder: string, kind: string, options: string[], blocks = '8M'): Uint8Array {
  const root = join(folder, `root-${kind}`);
  mkdirSync(join(root, 'etc'), { recursive: true });
  mkdirSync(join(root, 'usr/bin'), { recursive: true });
  mkdirSync(join(root, 'many'), { recursive: true });
  writeFileSync(join(root, 'etc/os-release'), 'ID=x\nPRETTY_NAME="Practice OS 3"\n');
  writeFileSync(join(root, 'usr/bin/dash'), readFileSync('/bin/sh'));
  symlinkSync('dash', join(root, 'usr/bin/sh'));
  symlinkSync('usr/bin', join(root, 'bin'));
  symlinkSync('/etc/../etc/os-release', join(root, 'link'));
  symlinkSync('loop', join(root, 'loop'));
  // Enough for a folder of several blocks, and a file of many.
  for (let at = 0; at < 150; at++)
    writeFileSync(join(root, `many/a-file-with-a-long-name-${String(at)}`), String(at));
  writeFileSync(join(root, 'big'), Buffer.alloc(300_000, 'marsh '));
  const path = join(folder, `${kind}.img`);
  run('mke2fs', ['-q', '-t', kind, ...options, '-d', root, path, blocks]);
  return readFileSync(path);
}

describe('an ext file system as mke2fs makes it', () => {
  it.each([
    ['ext2', ['-b', '1024']],
    ['ext2', ['-b', '4096', '-I', '128']],
    ['ext3', []],
    ['ext4', []],
    ['ext4', ['-O', '^extents,^64bit']],
    ['ext4', ['-O', '64bit,metadata_csum', '-b', '1024']],
  ])('%s %j: files, links and folders are read as debugfs reads them', async (kind, options) => {
    await inScratch(async (folder) => {
      const bytes = extImage(folder, kind, options);
      const volume = await ExtVolume.open(new MemorySource(bytes));
      const text = async (path: string): Promise<string | null> => {
        const found = await volume.readFile(path);
        return found && new TextDecoder().decode(found);
      };
      expect(await text('/etc/os-release')).toContain('Practice OS 3');
      expect(await text('/link')).toContain('Practice OS 3');
      expect(await text('/many/a-file-with-a-long-name-149')).toBe('149');
      expect(await text('/many/none')).toBeNull();
      expect((await volume.list('/many')).sort()).toEqual(
        Array.from({ length: 150 }, (_, at) => `a-file-with-a-long-name-${String(at)}`).sort(),
      );
      expect(await volume.list('/bin')).toEqual(expect.arrayContaining(['dash', 'sh']));
      expect(await volume.list('/nowhere')).toEqual([]);
      expect(await text('/etc')).toBeNull();
      await expect(text('/loop')).rejects.toThrow('damaged');
      const reference = execFileSync('/usr/sbin/debugfs', ['-R', 'cat /big', join(folder, `${kind}.img`)], {
        stdio: ['ignore', 'pipe', 'ignore'],
      });
      const big = await volume.readFile('/big', 1 << 20);
      expect(Buffer.from(big!).equals(reference)).toBe(true);
      expect(Math.abs(volume.writtenAt - Date.now())).toBeLessThan(120_000);
    });
  });

  it('that was spoilt gives an error or nothing, and never hangs', async () => {
    await inScratch(async (folder) => {
      const bytes = extImage(folder, 'ext4', []);
      await fc.assert(
        fc.asyncProperty(
          fc.array(fc.tuple(fc.integer({ min: 1024, max: 200_000 }), fc.integer({ min: 0, max: 255 })), {
            minLength: 1,
            maxLength: 40,
          }),
          async (changes) => {
            const spoilt = Uint8Array.from(bytes);
            for (const [at, value] of changes) spoilt[at] = value;
            const read = async (): Promise<unknown> =>
              (await ExtVolume.open(new MemorySource(spoilt))).readFile('/bin/sh', 64);
            const ended = await read().then(
              () => 'read',
              (error: unknown) => (error as Error).name,
            );
            expect(['read', 'DiskError', 'RangeError', 'Error']).toContain(ended);
          },
        ),
        { numRuns: 60 },
      );
    });
  });
});

describe('what an image tells of itself', () => {
  it('the practice image: its system, its width by the program that every system has, and its age', async () => {
    await inScratch(async (folder) => {
      const root = extImage(folder, 'ext4', []);
      const disk = join(folder, 'disk.img');
      writeFileSync(disk, Buffer.concat([Buffer.alloc(1 << 20), root]));
      run('sfdisk', ['-q', disk], 'label: dos\nstart=2048, type=83\n');
      const source = new MemorySource(readFileSync(disk));
      const clues = await imageClues(source, await inspectDisk(source));
      const wide = readFileSync('/bin/sh')[4] === 2;
      expect(clues.map(({ kind, text }) => [kind, text])).toEqual([
        ['system', 'Practice OS 3'],
        ['width', wide ? '64 bit' : '32 bit'],
        ['built', ''],
      ]);
    });
  });

  it('kernels by their heads (Linux documentation, "Booting AArch64 Linux" and "Booting ARM Linux")', () => {
    const head = (at: number, word: number): Uint8Array => {
      const bytes = new Uint8Array(64);
      new DataView(bytes.buffer).setUint32(at, word, true);
      return bytes;
    };
    expect(widthOfHead(head(56, 0x644d5241))).toBe(64);
    expect(widthOfHead(head(36, 0x016f2818))).toBe(32);
    expect(widthOfHead(new Uint8Array(64))).toBeNull();
    expect(widthOfHead(new Uint8Array(3))).toBeNull();
  });
});
