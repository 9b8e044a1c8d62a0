/**
 * Makes the small base image that the demo and the tests write: a master boot record, a FAT32 boot partition with
 * a boot loader's file, a kernel, an initial RAM disk and an empty declarative seed, and an ext4 root. Everything
 * is made by Debian's own tools, so that our code meets an image that it did not make.
 */
import { createCipheriv } from 'node:crypto';
import { spawnSync } from 'node:child_process';
import {
  closeSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  openSync,
  readFileSync,
  renameSync,
  rmSync,
  truncateSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';

const MiB = 1 << 20;
const layout = {
  bootStart: 1 * MiB,
  bootSize: 48 * MiB,
  rootStart: 49 * MiB,
  rootSize: 71 * MiB,
  total: 120 * MiB,
};

const path = `${process.env.PATH ?? ''}:/usr/sbin:/sbin`;

function run(command, args, input) {
  const env = {
    ...process.env,
    PATH: path,
    LC_ALL: 'C.UTF-8',
    SOURCE_DATE_EPOCH: '1767225600',
    MTOOLS_SKIP_CHECK: '1',
  };
  const result = spawnSync(command, args, { input, env, encoding: 'utf8' });
  if (result.status !== 0)
    throw new Error(
      `${command} failed while the base image was made: ${result.error?.message ?? result.stderr}`,
    );
}

/** Octets that do not compress, like a real kernel, and are the same each time. */
function noise(bytes, name) {
  const key = Buffer.alloc(32, name);
  return createCipheriv('aes-256-ctr', key, Buffer.alloc(16)).update(Buffer.alloc(bytes));
}

function bootFiles(folder) {
  mkdirSync(join(folder, 'extlinux'), { recursive: true });
  writeFileSync(join(folder, 'vmlinuz'), noise(9 * MiB, 'kernel'));
  writeFileSync(join(folder, 'initrd.img'), noise(11 * MiB, 'initrd'));
  writeFileSync(join(folder, 'board.dtb'), noise(48 * 1024, 'dtb'));
  writeFileSync(
    join(folder, 'extlinux/extlinux.conf'),
    'DEFAULT marsh\nTIMEOUT 10\nLABEL marsh\n  KERNEL ../vmlinuz\n  INITRD ../initrd.img\n  FDT ../board.dtb\n  APPEND root=PARTUUID=4d41524b-02 rw quiet ds=nocloud\n',
  );
  writeFileSync(join(folder, 'meta-data'), 'instance-id: unset\n');
  writeFileSync(join(folder, 'user-data'), '#cloud-config\n# Filled in before the first boot.\n');
  writeFileSync(
    join(folder, 'README.TXT'),
    'Boot partition of the practice image. It takes a declarative seed.\r\n',
  );
}

function rootFiles(folder) {
  for (const sub of ['etc', 'usr/lib', 'var/log', 'home']) mkdirSync(join(folder, sub), { recursive: true });
  writeFileSync(
    join(folder, 'etc/os-release'),
    'NAME="Practice OS"\nVERSION_ID="1"\nID=practice\nPRETTY_NAME="Practice OS 1 (minimal)"\n',
  );
  writeFileSync(join(folder, 'etc/hostname'), 'board\n');
  writeFileSync(join(folder, 'usr/lib/libpractice.so'), noise(18 * MiB, 'library'));
  writeFileSync(
    join(folder, 'usr/lib/words.txt'),
    'marsh tide oyster reed heron silt creek buoy\n'.repeat(120_000),
  );
}

/**
 * Makes the image unless it is there.
 * @param {string} target path that ends in .img.xz
 * @returns {boolean} whether it was made now
 */
export function makeBaseImage(target) {
  if (existsSync(target)) return false;
  mkdirSync(dirname(target), { recursive: true });
  const work = mkdtempSync(join(tmpdir(), 'nest-mark-image-'));
  try {
    const disk = join(work, 'base.img');
    const boot = join(work, 'boot.img');
    const root = join(work, 'root.img');
    bootFiles(join(work, 'boot'));
    rootFiles(join(work, 'root'));

    writeFileSync(disk, '');
    truncateSync(disk, layout.total);
    const sectors = (bytes) => String(bytes / 512);
    run(
      'sfdisk',
      ['-q', disk],
      `label: dos\nlabel-id: 0x4d41524b\n${sectors(layout.bootStart)},${sectors(layout.bootSize)},c,*\n${sectors(layout.rootStart)},${sectors(layout.rootSize)},83\n`,
    );

    run('mkfs.fat', [
      '-C',
      '-F',
      '32',
      '-s',
      '1',
      '-n',
      'CIDATA',
      '-i',
      '4d41524b',
      '--invariant',
      boot,
      String(layout.bootSize / 1024),
    ]);
    run('mcopy', [
      '-s',
      '-m',
      '-i',
      boot,
      ...['extlinux', 'vmlinuz', 'initrd.img', 'board.dtb', 'meta-data', 'user-data', 'README.TXT'].map(
        (name) => join(work, 'boot', name),
      ),
      '::',
    ]);

    writeFileSync(root, '');
    truncateSync(root, layout.rootSize);
    const uuid = '4d41524b-0000-4000-8000-6d6172736800';
    run('mke2fs', [
      '-q',
      '-t',
      'ext4',
      '-L',
      'root',
      '-U',
      uuid,
      '-E',
      `hash_seed=${uuid}`,
      '-d',
      join(work, 'root'),
      root,
    ]);

    const file = openSync(disk, 'r+');
    writeSync(file, readFileSync(boot), 0, layout.bootSize, layout.bootStart);
    writeSync(file, readFileSync(root), 0, layout.rootSize, layout.rootStart);
    closeSync(file);

    // Several blocks, so that more than one core can unpack it.
    run('xz', ['-T2', '-1', '--block-size=16MiB', disk]);
    copyFileSync(`${disk}.xz`, `${target}.new`);
    renameSync(`${target}.new`, target);
    return true;
  } finally {
    rmSync(work, { recursive: true, force: true });
  }
}

if (process.argv[1] === import.meta.filename && process.argv[2]) makeBaseImage(process.argv[2]);
