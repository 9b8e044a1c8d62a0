import { closeSync, openSync, readSync, truncateSync, writeFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import {
  emptyMedium,
  FatVolume,
  inspectDisk,
  SliceSource,
  SMALLEST_FAT32,
  type ByteSource,
} from '../src/index';
import { inScratch, run } from './helpers/reference';

const GB = 1e9;

/** A sparse medium that was formatted; the stretches to be zero are holes. */
function format(path: string, size: number): void {
  writeFileSync(path, '');
  truncateSync(path, size);
  const file = openSync(path, 'r+');
  for (const { offset, bytes } of emptyMedium(size, 0x1234abcd).patches)
    writeSync(file, bytes, 0, bytes.length, offset);
  closeSync(file);
}

function sourceOf(path: string, size: number): { source: ByteSource; close: () => void } {
  const file = openSync(path, 'r');
  return {
    source: {
      size,
      read: (offset, length) => {
        const bytes = Buffer.alloc(length);
        readSync(file, bytes, 0, length, offset);
        return Promise.resolve(bytes);
      },
    },
    close: () => closeSync(file),
  };
}

describe('an empty medium', () => {
  it.each([SMALLEST_FAT32, 64e6, 512e6, 4 * GB, 8 * GB, 16 * GB, 32 * GB, 64 * GB])(
    'of %d bytes: fsck.fat is silent, mtools finds all of its room, sfdisk and our own reader see one partition',
    async (size) => {
      await inScratch(async (folder) => {
        const disk = join(folder, 'disk.img');
        format(disk, size);
        const [partition] = (
          JSON.parse(run('sfdisk', ['-J', disk])) as {
            partitiontable: { partitions: { start: number; size: number; type: string }[] };
          }
        ).partitiontable.partitions;
        expect(partition).toMatchObject({ start: 2048, type: 'c' });
        expect((partition!.start + partition!.size) * 512).toBeGreaterThan(size - 512);
        // fsck.fat has no offset, so the partition is cut out, holes and all.
        const cut = join(folder, 'partition.img');
        run('dd', [`if=${disk}`, `of=${cut}`, 'bs=1M', 'skip=1', 'count=128', 'conv=sparse', 'status=none']);
        truncateSync(cut, partition!.size * 512);
        expect(run('fsck.fat', ['-n', cut])).toContain('0 files, 1/');
        run('mcopy', ['-i', `${disk}@@1M`, join(__dirname, 'fat-format.spec.ts'), '::TEST.TS']);
        const { source, close } = sourceOf(disk, size);
        const [seen] = await inspectDisk(source);
        expect(seen).toMatchObject({ fileSystem: 'fat32', offset: 1 << 20 });
        const volume = await FatVolume.openReadOnly(new SliceSource(source, seen!.offset, seen!.size));
        expect((await volume.list()).map(({ name }) => name)).toEqual(['TEST.TS']);
        expect(volume.geometry.tooFewClusters).toBe(false);
        close();
      });
    },
  );

  it('is refused where it would be none', () => {
    expect(() => emptyMedium(SMALLEST_FAT32 - 512, 1)).toThrow('too small');
    expect(() => emptyMedium(2 ** 41 + (2 << 20), 1)).toThrow('too large');
  });
});
