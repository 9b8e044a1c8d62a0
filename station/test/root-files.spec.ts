import { execFileSync } from 'node:child_process';
import {
  copyFileSync,
  mkdirSync,
  mkdtempSync,
  openSync,
  closeSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import type { RootFile } from '@nest-mark/core';
import type { Patch } from '@nest-mark/core/disk';
import { rootPatches } from '../src';
import { many } from '../../core/test/helpers/soak';

const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin`, LC_ALL: 'C' };
const MiB = 1 << 20;
let folder: string;
let next = 0;
beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'nest-mark-roots-'))));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** An image whose root begins after a MiB, by mke2fs. */
function imageOf(name: string, options: readonly string[], size = 12 * MiB): string {
  const tree = join(folder, `${name}-tree`);
  for (const sub of ['etc', 'boot/extlinux', 'var/lib/cloud', 'home'])
    mkdirSync(join(tree, sub), { recursive: true });
  writeFileSync(join(tree, 'etc/hostname'), 'board\n');
  writeFileSync(join(tree, 'etc/fstab'), '/dev/x / ext4 defaults 0 1\n');
  writeFileSync(join(tree, 'boot/extlinux/extlinux.conf'), 'LABEL x\n  APPEND quiet\n');
  writeFileSync(join(tree, 'etc/lib.so'), Buffer.alloc(3 * MiB, 'reed'));
  symlinkSync('/var/lib', join(tree, 'etc/linked'));
  const image = join(folder, `${name}.img`);
  writeFileSync(image, Buffer.alloc(size + MiB));
  execFileSync(
    'mke2fs',
    ['-q', '-d', tree, '-E', `offset=${String(MiB)}`, ...options, image, `${String(size / 1024)}k`],
    {
      env,
      stdio: 'pipe',
    },
  );
  return image;
}

/** The image with patches laid over it. */
function patched(image: string, patches: readonly Patch[]): string {
  const copy = `${image}.patched`;
  copyFileSync(image, copy);
  const file = openSync(copy, 'r+');
  for (const { offset, bytes } of patches) writeSync(file, bytes, 0, bytes.length, offset);
  closeSync(file);
  return copy;
}
const partition = (disk: string): string => {
  const part = `${disk}.part`;
  writeFileSync(part, readFileSync(disk).subarray(MiB));
  return part;
};
const put = async (image: string, files: readonly RootFile[]): Promise<Patch[]> =>
  rootPatches(image, { offset: MiB, size: 12 * MiB }, `${image}.kept`, files);
const file = (path: string, text: string, mode = 0o600): RootFile => ({
  path,
  content: Buffer.from(text),
  mode,
});
const catOf = (part: string, path: string): string =>
  execFileSync('debugfs', ['-R', `cat "${path}"`, part], {
    env,
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'pipe'],
    // Version 1.47.0 prints inline data with all the room that they have.
  }).replace(/\0+$/, '');

const shapes: [string, string[]][] = [
  ['ext4', ['-t', 'ext4']],
  ['ext4 of 1 KiB blocks', ['-t', 'ext4', '-b', '1024']],
  ['ext4 without checksums', ['-t', 'ext4', '-O', '^metadata_csum,^64bit']],
  ['ext4 with inline data', ['-t', 'ext4', '-O', 'inline_data', '-I', '256']],
  ['ext3', ['-t', 'ext3']],
  ['ext2', ['-t', 'ext2']],
];

describe('files put into an ext root', () => {
  it.each(shapes)(
    '%s: e2fsck finds nothing, debugfs reads them, and the image stays as it was',
    async (name, options) => {
      const image = imageOf(name.replaceAll(' ', '-'), options);
      const before = readFileSync(image);
      const files = [
        file('/var/lib/cloud/seed/nocloud/user-data', '#cloud-config\n', 0o600),
        file('/var/lib/cloud/seed/nocloud/meta-data', 'instance-id: x\n', 0o644),
        file('/boot/extlinux/extlinux.conf', 'LABEL y\n  APPEND loud\n', 0o644),
        file('/etc/app/tank settings.txt', 'depth=3\n'.repeat(2000), 0o640),
        file('/etc/empty', '', 0o600),
      ];
      const patches = await put(image, files);
      expect(readFileSync(image).equals(before)).toBe(true);
      const part = partition(patched(image, patches));
      execFileSync('e2fsck', ['-f', '-n', part], { env, stdio: 'pipe' });
      for (const { path, content } of files) expect(catOf(part, path)).toBe(Buffer.from(content).toString());
      expect(
        execFileSync('debugfs', ['-R', 'stat "/etc/app/tank settings.txt"', part], {
          env,
          encoding: 'utf8',
          stdio: ['ignore', 'pipe', 'pipe'],
        }),
      ).toMatch(/Mode:\s+0640[^]*User:\s+0\s+Group:\s+0/);
      expect(catOf(part, '/etc/hostname')).toBe('board\n');
    },
  );

  it('random files, whatever their names and contents: silent, and read back', async () => {
    const image = imageOf('random', ['-t', 'ext4']);
    const name = fc
      .string({
        unit: fc.constantFrom('a', 'B', '7', ' ', '.', '-', '_', "'", '$', '`', ';', '\\', 'ü'),
        minLength: 1,
        maxLength: 12,
      })
      .filter((text) => text !== '.' && text !== '..');
    await fc.assert(
      fc.asyncProperty(
        fc.uniqueArray(fc.record({ name, content: fc.uint8Array({ maxLength: 9000 }) }), {
          maxLength: 5,
          selector: (one) => one.name,
        }),
        async (drawn) => {
          const files = drawn.map(({ name: one, content }) => ({
            path: `/etc/new/${one}`,
            content,
            mode: 0o600,
          }));
          const part = partition(patched(image, await put(image, files)));
          execFileSync('e2fsck', ['-f', '-n', part], { env, stdio: 'pipe' });
        },
      ),
      { numRuns: many(5, 15), seed: 9 },
    );
  });

  it('of two at once each gets its own', async () => {
    const image = imageOf('twice', ['-t', 'ext4']);
    const [one, two] = await Promise.all([
      put(image, [file('/etc/a', 'one')]),
      put(image, [file('/etc/a', 'two')]),
    ]);
    expect([one, two].map((patches) => catOf(partition(patched(image, patches)), '/etc/a'))).toEqual([
      'one',
      'two',
    ]);
  });

  it.each<[string, RootFile, RegExp]>([
    ['more than there is room for', file('/etc/large', 'x'.repeat(11 * MiB)), /could not be changed/],
    ['a path out of the root', file('/etc/../../x', 'x'), /no path/],
    ['a quotation mark in a name', file('/etc/a"b', 'x'), /no path/],
    ['a folder that is a file', file('/etc/hostname/x', 'x'), /no folder/],
    ['a folder that is a link', file('/etc/linked/x', 'x'), /is a link/],
    ['a file that is a folder', file('/etc', 'x'), /is a folder/],
  ])('%s is refused in a sentence', async (_name, wrong, said) => {
    const image = imageOf(`refused-${String(next++)}`, ['-t', 'ext4']);
    await expect(put(image, [wrong])).rejects.toThrow(said);
  });

  it('a root that was in use, or is damaged, is not touched', async () => {
    const image = imageOf('damaged', ['-t', 'ext4', '-b', '4096', '-O', '^metadata_csum']);
    const bytes = readFileSync(image);
    // s_feature_incompat, "needs recovery" (ext4 documentation, super block, 0x60).
    const inUse = Buffer.from(bytes);
    inUse[MiB + 1024 + 0x60]! |= 4;
    writeFileSync(image, inUse);
    await expect(put(image, [file('/etc/a', 'x')])).rejects.toThrow('its journal is not empty');
    // Its bitmap says that everything is free: the tool would write over what is there, and e2fsck sees it.
    const broken = Buffer.from(bytes);
    const bitmap = MiB + broken.readUInt32LE(MiB + 4096) * 4096;
    broken.fill(0, bitmap, bitmap + 4096);
    writeFileSync(image, broken);
    rmSync(`${image}.kept`, { recursive: true, force: true });
    await expect(put(image, [file('/etc/a', 'x')])).rejects.toThrow(/could not be changed/);
  });
});
