import { execFileSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import {
  existsSync,
  statSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { DiskError } from '@nest-mark/core';
import { ImageError, packingOf, shelfFiles, shelveImage, unpack } from '../src/index';

let folder = '';
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-image-'));
});
afterEach(() => {
  rmSync(folder, { recursive: true, force: true });
});

const run = (command: string, args: string[], input?: string): Buffer =>
  execFileSync(command, args, {
    input,
    stdio: ['pipe', 'pipe', 'pipe'],
    env: { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin` },
    maxBuffer: 1 << 28,
  });

/** A small disk with a FAT boot partition, made by Debian's tools. */
function makeDisk(name: string, label: string): string {
  const path = join(folder, name);
  writeFileSync(path, randomBytes(1 << 20));
  truncateSync(path, 12 << 20);
  run('sfdisk', ['-q', '--wipe', 'never', path], 'label: dos\n4096,16384,c,*\n');
  run('mkfs.fat', ['-F', '16', '-s', '1', '-n', label, '--offset', '4096', path, '8192']);
  return path;
}

const sha256 = (path: string): string => run('sha256sum', [path]).toString().slice(0, 64);

async function collect(path: string): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of unpack(path, await packingOf(path))) parts.push(part);
  return Buffer.concat(parts);
}

const failure = async (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => 'no error',
    (error: unknown) =>
      error instanceof ImageError || error instanceof DiskError ? error.code : String(error),
  );

describe('unpacking', () => {
  const packers: [string, string[]][] = [
    ['xz', ['-k', '--block-size=1MiB']],
    ['gzip', ['-k', '-1']],
    ['zstd', ['-q', '-k']],
  ];

  it.each(packers)('%s gives back what was packed, and tells a cut and a flipped bit', async (tool, args) => {
    const raw = join(folder, 'raw');
    writeFileSync(raw, randomBytes(3 << 20));
    run(tool, [...args, raw]);
    const packed = `${raw}.${{ xz: 'xz', gzip: 'gz', zstd: 'zst' }[tool] ?? ''}`;
    expect((await collect(packed)).equals(readFileSync(raw))).toBe(true);
    const whole = readFileSync(packed);
    writeFileSync(packed, whole.subarray(0, whole.length - 1000));
    expect(await failure(collect(packed))).toBe('damaged');
    const flipped = Buffer.from(whole);
    flipped[1 << 20] = (flipped[1 << 20] ?? 0) ^ 1;
    writeFileSync(packed, flipped);
    // zstd needs its check sum for this, which its command writes by default.
    expect(await failure(collect(packed))).toBe('damaged');
  });

  it('names what cannot be read', async () => {
    expect(await failure(packingOf(join(folder, 'nothing')))).toBe('missing');
    expect(await failure(packingOf(folder))).toBe('missing');
    writeFileSync(join(folder, 'empty'), '');
    expect(await failure(packingOf(join(folder, 'empty')))).toBe('damaged');
  });
});

describe('shelving an image', () => {
  it('finds digests as sha256sum does, partitions, method, and keeps the boot partition', async () => {
    const raw = makeDisk('disk.img', 'CIDATA');
    const rawDigest = sha256(raw);
    run('xz', ['-k', raw]);
    const shelf = join(folder, 'shelf');
    const image = await shelveImage(`${raw}.xz`, shelf, sha256(`${raw}.xz`).toUpperCase());
    expect(image).toMatchObject({
      packing: 'xz',
      packedSha256: sha256(`${raw}.xz`),
      rawSha256: rawDigest,
      rawSize: 12 << 20,
      method: 'declarative-seed',
      bootOffset: 4096 * 512,
      bootSize: 8 << 20,
      partitions: [{ number: 1, fileSystem: 'fat16', label: 'CIDATA' }],
    });
    expect(image.blockDigests).toHaveLength(3);
    expect([image.bootPartition, image.bootReason]).toEqual([1, 'It is the only FAT partition.']);
    // Its own copy is the image unpacked, with its holes.
    const kept = shelfFiles(shelf).image;
    expect(sha256(kept)).toBe(rawDigest);
    expect(image.keptSize).toBe(statSync(kept).blocks * 512);
  });

  it('takes the digest of the unpacked file too, and an image without a known method', async () => {
    const raw = makeDisk('disk.img', 'OTHER');
    const image = await shelveImage(raw, join(folder, 'shelf'), sha256(raw));
    expect(image.method).toBe('none');
  });

  it.each([
    ['another digest', 'digest', (path: string) => path, 'f'.repeat(64)],
    ['a cut image', 'cut-off', (path: string) => (truncateSync(path, 6 << 20), path), ''],
    ['no disk image', 'not-a-disk', (path: string) => (writeFileSync(path, 'hello '.repeat(1000)), path), ''],
    [
      'a cut archive',
      'damaged',
      (path: string) => {
        run('xz', ['-k', path]);
        const packed = readFileSync(`${path}.xz`);
        writeFileSync(`${path}.xz`, packed.subarray(0, packed.length - 5000));
        return `${path}.xz`;
      },
      '',
    ],
  ])('refuses %s and leaves nothing behind', async (_name, code, spoil, published) => {
    const path = spoil(makeDisk('disk.img', 'CIDATA'));
    const shelf = join(folder, 'shelf');
    expect(await failure(shelveImage(path, shelf, published))).toBe(code);
    expect(existsSync(shelf)).toBe(false);
    expect(existsSync(path)).toBe(true);
  });
});
