import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { emptyMedium, FatVolume, Overlay, SliceSource, utf8, type ByteSource } from '@nest-mark/core';
import { FileSource, lookAtCard, readMarkFile } from '@nest-mark/station/files';
import { noSandbox } from '../src/board/sandbox';
import { readCard } from '../src/index';
import { amount } from '../../core/test/helpers/soak';

const much = amount('hostile-cards', 8, 200, 20_261_128);

/** Cards that somebody made to do harm to the machine that reads them. */

const START = 1 << 20;
const SIZE = 64 << 20;
let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'nest-mark-hostile-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));

/** A card in memory with some files on its boot partition. */
async function card(files: Record<string, string>): Promise<ByteSource> {
  const bytes = new Uint8Array(SIZE);
  for (const { offset, bytes: patch } of emptyMedium(SIZE, 7).patches) bytes.set(patch, offset);
  const disk: ByteSource = {
    size: SIZE,
    read: (offset, length) => Promise.resolve(bytes.slice(offset, offset + length)),
  };
  const overlay = new Overlay(new SliceSource(disk, START, SIZE - START));
  const volume = await FatVolume.open(overlay);
  for (const [path, text] of Object.entries(files)) await volume.writeFile(path, utf8(text));
  for (const { offset, bytes: patch } of overlay.patches()) bytes.set(patch, START + offset);
  return disk;
}

const booting = (script: string, text: string): Promise<ByteSource> =>
  card({
    kernel: 'k',
    'cmdline.txt': `root=/dev/x systemd.run=${script}\n`,
    [script.split('/').at(-1) ?? 'x.sh']: text,
  });
const boot = async (script: string, text: string): ReturnType<typeof readCard> =>
  readCard(await booting(script, text));

const here = noSandbox() === null ? it : it.skip;

describe('a path from a card leaves the scratch root by no way', () => {
  it.each([
    '/../../somewhere/x.sh',
    '/boot/../../x.sh',
    '/boot/../etc/x.sh',
    'x.sh',
    './x.sh',
    '/x.sh',
    '/usr/bin/x.sh',
    '/dev/x.sh',
    '/boot/./x.sh',
    '/boot//x.sh',
    `/boot/${'a/'.repeat(30)}x.sh`,
  ])('the command line starts %s: refused before anything is written', async (script) => {
    const outside = join(folder, 'somewhere');
    await expect(boot(script.replace('somewhere', outside.slice(1)), '#!/bin/sh\n')).rejects.toThrow(
      /no file of a mounted boot partition|not on the card/,
    );
    expect(existsSync(outside)).toBe(false);
  });

  here('a script that links its results to files of this machine shows none of them', async () => {
    const secret = join(folder, 'secret');
    writeFileSync(secret, 'of this machine');
    const settings = await boot(
      '/boot/x.sh',
      `#!/bin/sh
ln -sf ${secret} /etc/hostname
ln -sf /etc/../../../../../../../..${secret} /etc/nest-mark.json
echo 'keeper:x:1000:1000::${folder}:/bin/sh' >>/etc/passwd
mkdir -p /etc/NetworkManager/system-connections
ln -s ${secret} /etc/NetworkManager/system-connections/a.nmconnection
`,
    );
    expect(JSON.stringify(settings)).not.toContain('of this machine');
    expect(settings.hostName).toBe('');
  });

  here('a script cannot write, remove or hold up anything outside, and its results are bounded', async () => {
    const target = join(folder, 'target');
    writeFileSync(target, 'as it was');
    const settings = await boot(
      '/boot/x.sh',
      `#!/bin/sh
echo taken >${target}
ln -sf / /etc/out; echo taken >/etc/out${target}
rm -rf ${folder}
rm -f /etc/shadow; mkfifo /etc/shadow
rm -f /etc/hostname; yes | head -c 10000000 >/etc/hostname
mknod /etc/disk b 254 0
kill -9 -1
`,
    );
    expect(readFileSync(target, 'utf8')).toBe('as it was');
    expect(settings.hostName.length).toBeLessThanOrEqual(64 << 10);
  });

  here(
    'what runs there is nobody on this machine: its files belong to accounts that no one has',
    async () => {
      const settings = await boot(
        '/boot/x.sh',
        '#!/bin/sh\nhead -n 1 /proc/self/status >/dev/null 2>&1 && echo proc >/etc/hostname || { id -u; cat /etc/machine-id; } >/etc/hostname 2>&1\n',
      );
      // It is root in there, and sees nothing of the machine's own /etc.
      expect(settings.hostName).toMatch(/^0\n.*No such file/s);
    },
  );

  here('file names of the boot partition that are paths are left out', async () => {
    const disk = await card({
      kernel: 'k',
      'cmdline.txt': 'systemd.run=/boot/x.sh\n',
      'x.sh': '#!/bin/sh\nls -R /boot /home /tmp /etc /var /root | grep -c evil >/etc/hostname\n',
      'aaaaaaaaaa-evil-name': 'e',
    });
    const bytes = Buffer.from(await disk.read(0, SIZE));
    const spoilt: ByteSource = { size: SIZE, read: (o, l) => Promise.resolve(bytes.subarray(o, o + l)) };
    expect((await readCard(spoilt)).hostName).toBe('1');
    // A long name with a slash, as no writer of ours makes it: the entry's own octets are changed.
    const at = bytes.indexOf(Buffer.from('a\0a\0a\0a\0', 'latin1'));
    bytes.write('.\0.\0/\0.\0', at, 'latin1');
    const volume = await FatVolume.openReadOnly(new SliceSource(spoilt, START, SIZE - START));
    expect((await volume.list()).some(({ name }) => name.includes('/'))).toBe(true);
    expect((await readCard(spoilt)).hostName).toBe('0');
  });
});

describe('readers of foreign octets', () => {
  it('end in bounded time and memory on cards with random octets changed, and never throw what is not told', async () => {
    const whole = await card({
      'nest-mark.json': JSON.stringify({ mark: '7KQ4M', nest: 'A1', hostName: 'tank-01', batchId: 'b' }),
      'user-data': '#cloud-config\nhostname: tank-01\n',
      'meta-data': 'instance-id: i\n',
      'deep/er/folder/file.txt': 'x',
    });
    const original = Buffer.from(await whole.read(0, SIZE));
    // Where the tables and folders lie; the rest of the card is empty.
    const used = START + (4 << 20);
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.nat(used - 1), fc.nat(255)), { minLength: 1, maxLength: 40 }),
        async (changes) => {
          const bytes = Buffer.from(original);
          for (const [at, value] of changes) bytes[at] = value;
          const disk: ByteSource = {
            size: SIZE,
            read: (offset, length) => Promise.resolve(bytes.subarray(offset, offset + length)),
          };
          const look = await lookAtCard(disk, 'usb');
          expect(typeof look.holds).toBe('string');
          await readCard(disk, { kernel: false }).catch((error: unknown) =>
            expect(error).toBeInstanceOf(Error),
          );
        },
      ),
      { numRuns: much.runs, seed: much.seed },
    );
  });

  it('a mark file of four gigabytes is not read into memory', async () => {
    const path = join(folder, 'big.img');
    const size = 6 * 2 ** 30;
    execFileSync('truncate', ['-s', String(size), path]);
    const image = await FileSource.open(path);
    const overlay = new Overlay(image);
    for (const { offset, bytes } of emptyMedium(size, 9).patches) await overlay.write(offset, bytes);
    const part = new Overlay(
      new SliceSource({ size, read: (o, l) => overlay.read(o, l) }, START, size - START),
    );
    const volume = await FatVolume.open(part);
    await volume.writeFile('nest-mark.json', utf8('{"mark":"x"}'));
    // The folder says that it has four gigabytes; its chain of clusters goes round by way of the whole table.
    const patches = part.patches();
    for (const { offset, bytes } of patches) await overlay.write(START + offset, bytes);
    const root = patches.find(({ bytes }) => Buffer.from(bytes).includes('JSO'))!;
    const at = Buffer.from(root.bytes).indexOf('JSO') - 8;
    await overlay.write(START + root.offset + at + 28, Uint8Array.of(0xff, 0xff, 0xff, 0xff));
    const before = process.memoryUsage().rss;
    expect(await readMarkFile({ size, read: (o, l) => overlay.read(o, l) })).toBeNull();
    expect(process.memoryUsage().rss - before).toBeLessThan(200 << 20);
    await image.close();
  });

  it('a folder that holds itself ends', async () => {
    const disk = await card({
      'loop/INNER.TXT': 'x',
      kernel: 'k',
      'cmdline.txt': 'systemd.run=/boot/x.sh\n',
      'x.sh': '#!/bin/sh\n',
    });
    const bytes = Buffer.from(await disk.read(0, SIZE));
    // The folder's first entry after . and .. is made the folder itself again.
    const inner = bytes.indexOf('INNER   TXT');
    expect(inner).toBeGreaterThan(0);
    const self = bytes.indexOf('.          ', START);
    bytes.copy(bytes, inner + 20, self + 20, self + 22);
    bytes.copy(bytes, inner + 26, self + 26, self + 28);
    bytes[inner + 11] = 0x10;
    const looped: ByteSource = { size: SIZE, read: (o, l) => Promise.resolve(bytes.subarray(o, o + l)) };
    if (noSandbox() === null) await expect(readCard(looped)).resolves.toBeDefined();
  });
});
