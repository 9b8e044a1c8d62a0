import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { imageClues, inspectDisk, MemorySource, readPartitions } from '../src/index';
import { inScratch, run } from './helpers/reference';

const said = (bytes: Uint8Array): Promise<string> =>
  readPartitions(new MemorySource(bytes)).then(
    () => 'taken',
    (error: unknown) => (error as Error).message,
  );

/** An image of an optical disc by xorriso, with another file system appended or not. */
const disc = (options: (folder: string) => string[]): Promise<Uint8Array> =>
  inScratch((folder) => {
    mkdirSync(join(folder, 'tree'));
    writeFileSync(join(folder, 'tree/file'), 'x');
    run('mkfs.fat', ['-C', join(folder, 'efi'), '2048']);
    const image = join(folder, 'image');
    run('xorriso', [
      '-as',
      'mkisofs',
      '-quiet',
      '-V',
      'MARSH',
      '-o',
      image,
      ...options(folder),
      join(folder, 'tree'),
    ]);
    return Promise.resolve(new Uint8Array(readFileSync(image)));
  });

describe('an image that is something else', () => {
  it('an optical disc that also starts from a card is taken, and named', async () => {
    const bytes = await disc((folder) => ['-append_partition', '2', '0xef', join(folder, 'efi')]);
    const source = new MemorySource(bytes);
    const partitions = await inspectDisk(source);
    expect(partitions.map(({ offset, fileSystem }) => [offset === 0, fileSystem])).toEqual([
      [true, 'iso9660'],
      [false, 'fat12'],
    ]);
    expect((await imageClues(source, partitions))[0]?.text).toContain('Optical disc “MARSH”');
    // Cut off, it is told as cut off all the same.
    expect(await said(bytes.subarray(0, 1 << 20))).toContain('cut off');
  });

  it('an optical disc alone is named, not called damaged', async () => {
    expect(await said(await disc(() => []))).toContain('an optical disc (“MARSH”)');
  });

  it('a kernel whose octets look like a table is a kernel', async () => {
    const kernel = new Uint8Array(1 << 20).map((_, at) => (at * 7 + 3) & 0xff);
    kernel.set([0x55, 0xaa], 510);
    kernel.set(Buffer.from('HdrS'), 514);
    expect(await said(kernel)).toContain('This is a kernel');
    kernel.set(Buffer.from('none'), 514);
    expect(await said(kernel)).toContain('there is code where its partition table should be');
  });

  it.each([
    ['FAT', ['mkfs.fat', '-C'], ['4096'], 'one FAT file system'],
    ['ext', ['mke2fs', '-q', '-F'], ['4M'], 'one ext file system'],
  ])(
    'one %s file system without a table is named',
    async (_title, [program = '', ...before], after, expected) => {
      const bytes = await inScratch((folder) => {
        run(program, [...before, join(folder, 'image'), ...after]);
        return Promise.resolve(new Uint8Array(readFileSync(join(folder, 'image'))));
      });
      expect(await said(bytes)).toContain(expected);
    },
  );

  it('a partition that begins where the table lies is damage', async () => {
    const bytes = new Uint8Array(2 << 20);
    bytes.set([0x55, 0xaa], 510);
    bytes.set([0x80, 0, 0, 0, 0x83, 0, 0, 0, 0, 0, 0, 0, 0, 8, 0, 0], 446);
    expect(await said(bytes)).toContain('begins at byte 0');
  });
});
