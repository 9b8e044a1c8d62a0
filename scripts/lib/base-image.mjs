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
  statSync,
  symlinkSync,
  truncateSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';

const MiB = 1 << 20;

/**
 * Octets of each part. The small one is for tests that write many cards, whose octets are hashed again and again: its boot
 * partition is FAT16, since FAT32 has no fewer than 33 MiB (Microsoft, "FAT32 File System Specification" 1.03, section
 * "FAT Type Determination").
 */
const sizes = {
  whole: {
    fat: '32',
    type: 'c',
    boot: 48 * MiB,
    root: 71 * MiB,
    kernel: 9 * MiB,
    initrd: 11 * MiB,
    library: 18 * MiB,
    words: 120_000,
  },
  small: {
    fat: '16',
    type: 'e',
    boot: 6 * MiB,
    root: 6 * MiB,
    kernel: MiB,
    initrd: MiB,
    library: 2 * MiB,
    words: 10_000,
  },
};
const bootStart = MiB;

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

function bootFiles(folder, size) {
  mkdirSync(join(folder, 'extlinux'), { recursive: true });
  writeFileSync(join(folder, 'vmlinuz'), noise(size.kernel, 'kernel'));
  writeFileSync(join(folder, 'initrd.img'), noise(size.initrd, 'initrd'));
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

/** Programs of the practice system, by the packages that would bring them. They are there to be found, not to be run. */
const packages = {
  'avahi-daemon': ['0.8-10', 'usr/sbin/avahi-daemon'],
  bash: ['5.2.15-2', 'usr/bin/bash'],
  'cloud-guest-utils': ['0.33-1', 'usr/bin/growpart'],
  'cloud-init': ['22.4.2-1', 'usr/bin/cloud-init'],
  'console-setup': ['1.221', 'usr/bin/setupcon'],
  locales: ['2.36-9', 'usr/sbin/locale-gen'],
  'netplan.io': ['1.1.2-2', 'usr/sbin/netplan'],
  'network-manager': ['1.42.4-1', 'usr/sbin/NetworkManager'],
  'openssh-server': ['1:9.2p1-2', 'usr/sbin/sshd'],
  sudo: ['1.9.13p3-1', 'usr/bin/sudo'],
  systemd: [
    '252.39-1',
    'usr/lib/systemd/systemd',
    'usr/lib/systemd/systemd-networkd',
    'usr/lib/systemd/system-generators/systemd-run-generator',
  ],
  tzdata: ['2026b-0', 'usr/share/zoneinfo/Etc/UTC'],
  wpasupplicant: ['2:2.10-12', 'usr/sbin/wpa_supplicant'],
};

function systemFiles(folder) {
  const put = (path, text) => {
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), text);
  };
  const stanzas = Object.entries(packages).map(([name, [version, ...programs]]) => {
    for (const program of programs) put(program, 'A program of the practice system.\n');
    return `Package: ${name}\nStatus: install ok installed\nArchitecture: arm64\nVersion: ${version}\n`;
  });
  put('var/lib/dpkg/status', stanzas.join('\n'));
  put('etc/cloud/cloud.cfg', 'datasource_list: [ NoCloud, None ]\n');
  put(
    'etc/fstab',
    'PARTUUID=4d41524b-01 /boot vfat defaults 0 2\nPARTUUID=4d41524b-02 / ext4 defaults 0 1\n',
  );
  put('etc/machine-id', 'uninitialized\n');
  put('etc/passwd', 'root:x:0:0:root:/root:/bin/bash\n');
  put('etc/shadow', 'root:*:20000:0:99999:7:::\n');
  put('etc/locale.gen', '# en_GB.UTF-8 UTF-8\n');
  for (const unit of ['ssh', 'NetworkManager', 'avahi-daemon']) {
    put(`usr/lib/systemd/system/${unit}.service`, `[Unit]\nDescription=${unit}\n`);
    const wants = join(folder, 'etc/systemd/system/multi-user.target.wants');
    mkdirSync(wants, { recursive: true });
    symlinkSync(`/usr/lib/systemd/system/${unit}.service`, join(wants, `${unit}.service`));
  }
}

function rootFiles(folder, size) {
  for (const sub of ['etc', 'usr/lib', 'var/log', 'home']) mkdirSync(join(folder, sub), { recursive: true });
  systemFiles(folder);
  writeFileSync(
    join(folder, 'etc/os-release'),
    'NAME="Practice OS"\nVERSION_ID="1"\nID=practice\nPRETTY_NAME="Practice OS 1 (minimal)"\n',
  );
  writeFileSync(join(folder, 'etc/hostname'), 'board\n');
  writeFileSync(join(folder, 'usr/lib/libpractice.so'), noise(size.library, 'library'));
  writeFileSync(
    join(folder, 'usr/lib/words.txt'),
    'marsh tide oyster reed heron silt creek buoy\n'.repeat(size.words),
  );
}

/**
 * Makes the image unless it is there already.
 * @param {string} target path that ends in .img.xz
 * @param {keyof typeof sizes} kind the demo's, or a small one
 * @returns {boolean} whether it was made now
 */
export function makeBaseImage(target, kind = 'whole') {
  // One that an earlier version of this file made is made anew.
  if (existsSync(target) && statSync(target).mtimeMs > statSync(import.meta.filename).mtimeMs) return false;
  mkdirSync(dirname(target), { recursive: true });
  const work = mkdtempSync(join(tmpdir(), 'nest-mark-image-'));
  try {
    const disk = join(work, 'base.img');
    const boot = join(work, 'boot.img');
    const root = join(work, 'root.img');
    const size = sizes[kind];
    const rootStart = bootStart + size.boot;
    bootFiles(join(work, 'boot'), size);
    rootFiles(join(work, 'root'), size);

    writeFileSync(disk, '');
    truncateSync(disk, rootStart + size.root);
    const sectors = (bytes) => String(bytes / 512);
    run(
      'sfdisk',
      ['-q', disk],
      `label: dos\nlabel-id: 0x4d41524b\n${sectors(bootStart)},${sectors(size.boot)},${size.type},*\n${sectors(rootStart)},${sectors(size.root)},83\n`,
    );

    run('mkfs.fat', [
      '-C',
      '-F',
      size.fat,
      '-s',
      '1',
      '-n',
      'CIDATA',
      '-i',
      '4d41524b',
      '--invariant',
      boot,
      String(size.boot / 1024),
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
    truncateSync(root, size.root);
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
    writeSync(file, readFileSync(boot), 0, size.boot, bootStart);
    writeSync(file, readFileSync(root), 0, size.root, rootStart);
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

if (process.argv[1] === import.meta.filename && process.argv[2])
  makeBaseImage(process.argv[2], process.argv[3]);
