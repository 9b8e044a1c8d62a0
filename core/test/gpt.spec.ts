import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { crc32 as zlibCrc32 } from 'node:zlib';
import fc from 'fast-check';
import { DiskError, inspectDisk, MemorySource, readPartitions, type Partition } from '../src/disk';
import { crc32 } from '../src/disk/crc32';
import { inScratch, run } from './helpers/reference';
import { amount } from './helpers/soak';

const much = amount('gpt', 4, 60, 20_261_128);

const size = 16 << 20;
const sector = 512;

/** What becomes of a disk: its partitions, or the code of the error. */
const outcome = async (bytes: Uint8Array): Promise<Partition[] | string> =>
  readPartitions(new MemorySource(bytes)).catch((error: unknown) => {
    if (error instanceof DiskError) return error.code;
    throw error;
  });

/** A disk that sfdisk made, and the partitions that sfdisk then lists. */
async function made(
  script: string,
): Promise<{ bytes: Uint8Array; listed: { start: number; size: number }[] }> {
  return inScratch((folder) => {
    const file = join(folder, 'disk.img');
    writeFileSync(file, new Uint8Array(size));
    run('sfdisk', ['-q', file], script);
    const { partitiontable } = JSON.parse(run('sfdisk', ['-J', file])) as {
      partitiontable: { partitions?: { start: number; size: number }[] };
    };
    return { bytes: new Uint8Array(readFileSync(file)), listed: partitiontable.partitions ?? [] };
  });
}

const efi = 'C12A7328-F81F-11D2-BA4B-00A0C93EC93B';
const linux = '0FC63DAF-8483-4772-8E79-3D69D8477DE4';
const script = `label: gpt\nstart=2048, size=8192, type=${efi}, attrs="LegacyBIOSBootable"\n10240,4096,${linux}\n16384,2048,${linux}\n`;

describe('GUID partition tables against sfdisk -J', () => {
  it('are read with places, types and the mark of the bootable one', async () => {
    const { bytes, listed } = await made(script);
    const found = await outcome(bytes);
    expect(found).toEqual([
      { number: 1, type: 0xef, bootable: true, offset: 2048 * sector, size: 8192 * sector },
      { number: 2, type: 0x83, bootable: false, offset: 10240 * sector, size: 4096 * sector },
      { number: 3, type: 0x83, bootable: false, offset: 16384 * sector, size: 2048 * sector },
    ]);
    expect(listed.map(({ start, size: count }) => [start * sector, count * sector])).toEqual(
      (found as Partition[]).map(({ offset, size: octets }) => [offset, octets]),
    );
  });

  it('are read for random layouts as sfdisk lists them', async () => {
    const layouts = fc.array(fc.record({ gap: fc.nat(500), size: fc.integer({ min: 1, max: 3000 }) }), {
      minLength: 1,
      maxLength: 8,
    });
    await fc.assert(
      fc.asyncProperty(layouts, async (layout) => {
        much.step();
        let at = 2048;
        const lines = layout.map(({ gap, size: count }) => {
          const start = at + gap;
          at = start + count;
          return `${String(start)},${String(count)},${linux}`;
        });
        const { bytes, listed } = await made(`label: gpt\n${lines.join('\n')}\n`);
        const found = (await outcome(bytes)) as Partition[];
        expect(
          found.map(({ offset, size: octets }) => ({ start: offset / sector, size: octets / sector })),
        ).toEqual(listed.map(({ start, size: count }) => ({ start, size: count })));
      }),
      { numRuns: much.runs, seed: much.seed },
    );
  });

  it('hybrid ones, whose master boot record repeats a partition, are read from the GPT', async () => {
    const { bytes } = await made(script);
    const whole = await outcome(bytes);
    const view = new DataView(bytes.buffer, 446 + 16, 16);
    view.setUint8(4, 0x0c);
    view.setUint32(8, 2048, true);
    view.setUint32(12, 8192, true);
    expect(await outcome(bytes)).toEqual(whole);
  });

  it('what the partitions hold is told by signature', async () => {
    const { bytes } = await made(script);
    await inScratch((folder) => {
      const fat = join(folder, 'fat.img');
      run('mkfs.fat', ['-C', '-F', '16', '-s', '1', '-n', 'CIDATA', fat, '4096']);
      bytes.set(readFileSync(fat), 2048 * sector);
    });
    const found = await inspectDisk(new MemorySource(bytes));
    expect(found.map(({ fileSystem, label }) => [fileSystem, label])).toEqual([
      ['fat16', 'CIDATA'],
      ['unknown', ''],
      ['unknown', ''],
    ]);
  });
});

describe('GUID partition tables that cannot be trusted', () => {
  let bytes: Uint8Array;
  beforeAll(async () => {
    ({ bytes } = await made(script));
  });

  it('any one changed bit in the table or its copy is found', async () => {
    // Header, and the entries in use; the rest of their 128 is covered by the same checksum.
    const places = [
      [sector, 92],
      [2 * sector, 3 * 128],
      [size - sector, 92],
      [size - 33 * sector, 3 * 128],
    ] as const;
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom(...places),
        fc.nat(1e6),
        fc.nat(7),
        async ([from, length], at, bit) => {
          const broken = bytes.slice();
          broken[from + (at % length)]! ^= 1 << bit;
          expect(['damaged', 'cut-off']).toContain(await outcome(broken));
        },
      ),
      { numRuns: 200 },
    );
  });

  it('an image that was cut off anywhere is called so', async () => {
    for (const left of [size - 1, size - sector, size / 2, 2 << 20])
      expect(await outcome(bytes.subarray(0, left))).toBe('cut-off');
  });

  it('octets of chance are never believed and never hang', async () => {
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ minLength: 92, maxLength: 512 }), async (noise) => {
        const broken = bytes.slice(0, 1 << 20);
        broken.set(noise, sector);
        broken.set(
          [...'EFI PART'].map((char) => char.charCodeAt(0)),
          sector,
        );
        expect(typeof (await outcome(broken))).toBe('string');
      }),
      { numRuns: 200 },
    );
  });

  it('without a partition it is no image', async () => {
    expect(await outcome((await made('label: gpt\n')).bytes)).toBe('not-a-disk');
  });
});

describe('the checksum', () => {
  it('is the one of zlib, and of the published check value', () => {
    // Check value of CRC-32/ISO-HDLC: the nine digits (from memory).
    expect(crc32(Buffer.from('123456789'))).toBe(0xcbf43926);
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 300 }), (octets) => {
        expect(crc32(octets)).toBe(zlibCrc32(octets));
      }),
    );
  });
});
