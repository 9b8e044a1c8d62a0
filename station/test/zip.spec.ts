import { execFileSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ImageError, packingOf, unpack } from '../src/index';

let folder = '';
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-zip-'));
});
afterEach(() => {
  rmSync(folder, { recursive: true, force: true });
});

const raw = Buffer.concat([randomBytes(1 << 20), Buffer.alloc(3 << 20), randomBytes(1 << 19)]);
const put = (name: string, content: Buffer | string = raw): string => {
  mkdirSync(join(folder, name, '..'), { recursive: true });
  writeFileSync(join(folder, name), content);
  return name;
};
/** An archive that Debian's zip made; names are relative to the scratch folder. */
function zip(options: string[], ...names: string[]): string {
  execFileSync('zip', ['-q', ...options, 'out.zip', ...names], { cwd: folder });
  return join(folder, 'out.zip');
}
async function collect(path: string): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of unpack(path, await packingOf(path))) parts.push(part);
  return Buffer.concat(parts);
}
const failure = async (path: string): Promise<{ code: string; message: string }> =>
  collect(path).then(
    () => ({ code: 'none', message: '' }),
    (error: unknown) => {
      if (error instanceof ImageError) return error;
      throw error;
    },
  );

describe('zip archives made by zip', () => {
  it.each([
    ['stored', ['-0']],
    ['packed hard', ['-9']],
    ['with sizes behind the data', ['-fd']],
    ['in the large form', ['-fz']],
  ])('%s give back what was packed', async (_name, options) => {
    expect((await collect(zip(options, put('marsh.img')))).equals(raw)).toBe(true);
  });

  it('the image is found among what lies beside it', async () => {
    const path = zip(
      [],
      put('deep/folder/marsh.img'),
      put('README.txt', 'Read me.'),
      put('__MACOSX/deep/._marsh.img', 'beside'),
    );
    expect((await collect(path)).equals(raw)).toBe(true);
  });

  it('a single file is taken whatever its name', async () => {
    expect((await collect(zip([], put('marsh')))).equals(raw)).toBe(true);
  });

  it('several that could be meant are named, and a person chooses', async () => {
    const found = await failure(zip([], put('one.img'), put('two.img')));
    expect(found).toMatchObject({
      code: 'packing',
      message: expect.stringContaining('one.img, two.img') as string,
    });
  });

  it('one that is encrypted, or holds nothing, says so', async () => {
    expect((await failure(zip(['-P', 'tide'], put('marsh.img')))).message).toContain('encrypted');
    rmSync(join(folder, 'out.zip'));
    mkdirSync(join(folder, 'empty'));
    expect((await failure(zip(['-r'], 'empty'))).message).toContain('holds no file');
  });
});

describe('zip archives that are damaged', () => {
  it('are refused wherever they were cut off', async () => {
    const whole = readFileSync(zip(['-1'], put('marsh.img')));
    for (const left of [40, 1000, whole.length >> 1, whole.length - 5]) {
      const path = join(folder, 'cut.zip');
      writeFileSync(path, whole.subarray(0, left));
      expect((await failure(path)).code).toBe('damaged');
    }
  });

  it.each([
    ['stored', '-0'],
    ['packed', '-6'],
  ])('are refused for any flipped bit in the data, %s', async (_name, option) => {
    const whole = readFileSync(zip([option], put('marsh.img')));
    for (const at of [200, 5000, 900_000, whole.length >> 1]) {
      const path = join(folder, 'flipped.zip');
      const broken = Buffer.from(whole);
      broken[at]! ^= 4;
      writeFileSync(path, broken);
      expect((await failure(path)).code).toBe('damaged');
    }
  });

  it('are refused when the directory tells another size than the data has', async () => {
    const whole = readFileSync(zip(['-6'], put('marsh.img')));
    const directory = whole.indexOf(Buffer.from('504b0102', 'hex'));
    // Uncompressed size in the central directory (APPNOTE.TXT section 4.3.12): 24 octets in.
    whole.writeUInt32LE(raw.length - 1, directory + 24);
    const path = join(folder, 'lies.zip');
    writeFileSync(path, whole);
    expect((await failure(path)).code).toBe('damaged');
  });
});
