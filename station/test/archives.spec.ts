import { execFileSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync, existsSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { DiskError } from '@nest-mark/core';
import { amount } from '../../core/test/helpers/soak';
import { ImageError, packingOf, shelveImage, unpack, usualLimits } from '../src/index';

const much = amount('archives', 15, 200, 20_261_128);

let folder = '';
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-archive-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

/** Octets that pack like an image: noise, text, holes. */
const content = Buffer.concat([
  randomBytes(700_001),
  Buffer.alloc(2 << 20),
  Buffer.from('tide '.repeat(60_000)),
  randomBytes(99),
]);
const digest = createHash('sha256').update(content).digest('hex');

const pack = (name: string, script: string): string => {
  const raw = join(folder, 'disk.img');
  writeFileSync(raw, content);
  execFileSync('bash', ['-c', script], { cwd: folder });
  return join(folder, name);
};

async function digestOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const part of unpack(path, await packingOf(path))) hash.update(part);
  return hash.digest('hex');
}

const ended = (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => 'unpacked',
    (error: unknown) => {
      if (error instanceof ImageError || error instanceof DiskError) return error.code;
      throw error;
    },
  );

describe('archives of Debian’s tools, with several sets of options', () => {
  it.each([
    ['disk.img.xz', 'xz -k disk.img'],
    ['disk.img.xz', 'xz -k -9e --check=sha256 disk.img'],
    ['disk.img.xz', 'xz -k --block-size=300KiB -T2 disk.img'],
    [
      'two.xz',
      'head -c 1000000 disk.img | xz > two.xz; tail -c +1000001 disk.img | xz --check=none >> two.xz',
    ],
    ['disk.img.gz', 'gzip -k -1 disk.img'],
    ['disk.img.gz', 'gzip -k -9 disk.img'],
    ['two.gz', 'head -c 1000000 disk.img | gzip > two.gz; tail -c +1000001 disk.img | gzip >> two.gz'],
    ['disk.img.zst', 'zstd -q -k -1 disk.img'],
    ['disk.img.zst', 'zstd -q -k -19 --long=24 disk.img'],
    [
      'two.zst',
      'head -c 1000000 disk.img | zstd -q > two.zst; tail -c +1000001 disk.img | zstd -q --no-check >> two.zst',
    ],
    ['disk.zip', 'zip -q disk.zip disk.img'],
    ['disk.zip', 'zip -q -0 disk.zip disk.img'],
    ['disk.zip', 'zip -q -fd disk.zip disk.img'],
    ['disk.zip', 'cat disk.img | zip -q disk.zip - && printf "@ -\\n@=disk.img\\n" | zipnote -w disk.zip'],
    ['disk.zip', 'echo read me > read.txt; zip -q -9 disk.zip read.txt disk.img'],
  ])('%s by "%s" gives back what was packed', async (name, script) => {
    expect(await digestOf(pack(name, script))).toBe(digest);
  });
});

describe('archives that were spoilt', () => {
  const scripts = [
    'xz -k disk.img',
    'gzip -k disk.img',
    'zstd -q -k disk.img',
    'zip -q disk.img.zip disk.img',
  ];

  it.each(scripts)(
    '"%s": cut or with flipped bits, they are told apart or unpack to what was packed',
    async (script) => {
      const name = { xz: 'xz', gzip: 'gz', zstd: 'zst', zip: 'zip' }[script.split(' ')[0]!]!;
      const whole = readFileSync(pack(`disk.img.${name}`, script));
      const path = join(folder, 'spoilt');
      await fc.assert(
        fc.asyncProperty(
          fc.oneof(
            fc.record({ cut: fc.integer({ min: 1, max: whole.length - 1 }) }),
            fc.record({
              flips: fc.array(fc.integer({ min: 0, max: whole.length * 8 - 1 }), {
                minLength: 1,
                maxLength: 4,
              }),
            }),
          ),
          async (change) => {
            much.step();
            const bytes = 'cut' in change ? whole.subarray(0, change.cut) : Buffer.from(whole);
            if ('flips' in change)
              for (const bit of change.flips) bytes[bit >> 3] = (bytes[bit >> 3] ?? 0) ^ (1 << (bit & 7));
            writeFileSync(path, bytes);
            // What is no archive any more is read as it is; then it is no disk image either.
            const packing = await packingOf(path).catch(() => 'raw' as const);
            if (packing === 'raw') return;
            let found = '';
            const end = await ended(digestOf(path).then((sum) => (found = sum)));
            expect(end === 'unpacked' ? found : digest).toBe(digest);
          },
        ),
        { numRuns: much.runs, seed: much.seed },
      );
    },
  );

  it('a bomb is stopped at the largest card’s size, and nothing of it is kept', async () => {
    const bomb = join(folder, 'bomb.xz');
    execFileSync('bash', ['-c', `head -c 400M /dev/zero | xz -1 > ${bomb}`]);
    expect(statSync(bomb).size).toBeLessThan(1 << 20);
    const shelf = join(folder, 'shelf');
    const limits = { ...usualLimits, largest: 50e6 };
    expect(await ended(shelveImage(bomb, shelf, '', undefined, limits))).toBe('large');
    expect(existsSync(shelf)).toBe(false);
  });

  it('a disk that would become full stops the reading in time, and nothing is kept', async () => {
    const path = pack('disk.img.xz', 'xz -k disk.img');
    const shelf = join(folder, 'shelf');
    const limits = { ...usualLimits, leaveFree: 1e18 };
    expect(await ended(shelveImage(path, shelf, '', undefined, limits))).toBe('full');
    expect(existsSync(shelf)).toBe(false);
  });

  it('a member of a zip that would climb out of its folder goes nowhere', async () => {
    writeFileSync(join(folder, 'evil.img'), content);
    execFileSync('zip', ['-q', 'out.zip', 'evil.img'], { cwd: folder });
    const bytes = readFileSync(join(folder, 'out.zip'));
    // The same length, in both headers: zip itself would not write such a name.
    const name = Buffer.from('../x.img');
    for (let at = bytes.indexOf('evil.img'); at >= 0; at = bytes.indexOf('evil.img', at + 1))
      name.copy(bytes, at);
    const path = join(folder, 'out.zip');
    writeFileSync(path, bytes);
    const before = readdirSync(join(folder, '..')).filter((entry) => entry === 'x.img');
    expect(await ended(digestOf(path))).toBe('damaged');
    expect(readdirSync(join(folder, '..')).filter((entry) => entry === 'x.img')).toEqual(before);
  });

  it('a zip whose sizes are wrong is damaged', async () => {
    const path = pack('disk.zip', 'zip -q disk.zip disk.img');
    const bytes = readFileSync(path);
    const central = bytes.lastIndexOf(Buffer.from([0x50, 0x4b, 0x01, 0x02]));
    // Uncompressed size in the central directory (APPNOTE.TXT section 4.3.12).
    bytes.writeUInt32LE(content.length - 7, central + 24);
    writeFileSync(path, bytes);
    expect(await ended(digestOf(path))).toBe('damaged');
  });
});
