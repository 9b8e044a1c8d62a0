import { closeSync, openSync, readSync, truncateSync, writeFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { FatVolume, Overlay, type ByteSource } from '../src/index';
import { attempt, inScratch, run } from './helpers/reference';
import { withLong } from './helpers/soak';

const MiB = 2 ** 20;
const GiB = 2 ** 30;

/**
 * Sizes from the smallest to 32 GiB, with every cluster size that mkfs.fat allows there; outside a soak every second
 * one, for one size these and for the next one those.
 */
const sweep: [bits: number, size: number, sectors: number][] = [12, 16, 32].flatMap((bits) => {
  const sizes =
    {
      12: [64 << 10, MiB, 16 * MiB],
      16: [5 * MiB, 64 * MiB, 2 * GiB],
      32: [34 * MiB, 300 * MiB, 4 * GiB, 32 * GiB],
    }[bits] ?? [];
  return sizes.flatMap((size, nth) =>
    [1, 2, 4, 8, 16, 32, 64, 128]
      .filter((_, at) => withLong || at % 4 === nth % 4)
      .map((sectors): [number, number, number] => [bits, size, sectors]),
  );
});

function withFile(
  path: string,
  size: number,
): {
  source: ByteSource;
  put: (patches: readonly { offset: number; bytes: Uint8Array }[]) => void;
  close: () => void;
} {
  const file = openSync(path, 'r+');
  return {
    source: {
      size,
      read: (offset, length) => {
        const bytes = Buffer.alloc(length);
        readSync(file, bytes, 0, length, offset);
        return Promise.resolve(bytes);
      },
    },
    put: (patches) => patches.forEach(({ offset, bytes }) => writeSync(file, bytes, 0, bytes.length, offset)),
    close: () => closeSync(file),
  };
}

it('FAT 12, 16 and 32 of every size and cluster size: after our writes fsck.fat is silent and mtools reads the files', async () => {
  const made: Record<number, number> = {};
  const read: Record<number, number> = {};
  await inScratch(async (folder) => {
    const path = join(folder, 'volume.img');
    for (const [bits, size, sectors] of sweep) {
      writeFileSync(path, '');
      truncateSync(path, size);
      // Combinations outside the file system's bounds are refused by mkfs.fat itself.
      const { code } = attempt('mkfs.fat', ['-F', String(bits), '-s', String(sectors), path]);
      const warned = attempt('fsck.fat', ['-n', path]);
      if (code !== 0 || warned.code !== 0) continue;
      // mtools takes some odd shapes for another kind of FAT even when they are new.
      const readable = attempt('mdir', ['-i', path, '::']).code === 0;
      const { source, put, close } = withFile(path, size);
      const overlay = new Overlay(source);
      const volume = await FatVolume.open(overlay);
      const told = { bits, size, sectors };
      expect({ ...told, seen: volume.geometry.bits }).toEqual({ ...told, seen: bits });
      // A volume of a handful of clusters has no room for these files.
      if (volume.geometry.clusters < 20) {
        close();
        continue;
      }
      const text = `marsh ${String(bits)} ${String(sectors)}\n`.repeat(300);
      await volume.writeFile('user-data', new TextEncoder().encode(text));
      await volume.writeFile('A long name with spaces.txt', new TextEncoder().encode(text));
      await volume.writeFile('empty', new Uint8Array());
      // In folders that are made on the way.
      await volume.writeFile('run-once/Networks of it/one.nmconnection', new TextEncoder().encode('one\n'));
      await volume.writeFile('run-once/two', new TextEncoder().encode('two\n'));
      // Replacing gives the old clusters back.
      await volume.writeFile('user-data', new TextEncoder().encode(`${text}end\n`));
      put(overlay.patches());
      close();
      const checked = attempt('fsck.fat', ['-n', path]);
      expect({ ...told, ...checked }).toMatchObject({ ...told, code: 0 });
      if (readable) {
        expect(run('mtype', ['-i', path, '::user-data'])).toBe(`${text}end\n`);
        expect(run('mtype', ['-i', path, '::A long name with spaces.txt'])).toBe(text);
        expect(run('mtype', ['-i', path, '::run-once/Networks of it/one.nmconnection'])).toBe('one\n');
        expect(run('mtype', ['-i', path, '::run-once/two'])).toBe('two\n');
        read[bits] = (read[bits] ?? 0) + 1;
      }
      made[bits] = (made[bits] ?? 0) + 1;
    }
  });
  // A sweep in which mkfs.fat refused nearly everything would prove little.
  for (const bits of [12, 16, 32]) {
    expect(made[bits]).toBeGreaterThan(withLong ? 6 : 2);
    expect(read[bits]).toBeGreaterThan(withLong ? 6 : 2);
  }
}, 180_000);
