import { chmodSync, mkdirSync, readFileSync, symlinkSync, truncateSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import {
  FatVolume,
  fatPartitions,
  inspectDisk,
  lookAtSystem,
  MemorySource,
  SliceSource,
  type SystemFacts,
} from '../../src/index';
import { inScratch, run } from './reference';

const START = 1 << 20;
const BOOT = 8 << 20;
const ROOT = 8 << 20;

/** Files by path; a text that begins with `-> ` is a symbolic link. */
export type Tree = Record<string, string>;

/** Boot partitions that were made, by their label and files: most disks have the same. */
const made = new Map<string, Buffer>();

/** A disk's partition table and its FAT boot partition, up to where the root begins. */
function bootOf(folder: string, boot: Tree, label: string): Buffer {
  const key = JSON.stringify([label, boot]);
  const known = made.get(key);
  if (known) return known;
  const disk = join(folder, 'disk.img');
  writeFileSync(disk, '');
  truncateSync(disk, START + BOOT + ROOT);
  run(
    'sfdisk',
    ['-q', disk],
    `label: dos\nstart=2048, size=${String(BOOT / 512)}, type=c\nstart=${String((START + BOOT) / 512)}, type=83\n`,
  );
  const fat = join(folder, 'fat');
  writeFileSync(fat, '');
  truncateSync(fat, BOOT);
  run('mkfs.fat', ['-n', label, fat]);
  const tree = join(folder, 'boot');
  for (const [path, text] of Object.entries(boot)) {
    mkdirSync(dirname(join(tree, path)), { recursive: true });
    writeFileSync(join(tree, path), text);
  }
  const entries = new Set(Object.keys(boot).map((path) => path.split('/')[0] ?? ''));
  if (entries.size > 0)
    run('mcopy', ['-s', '-i', fat, ...[...entries].map((entry) => join(tree, entry)), '::']);
  const bytes = Buffer.concat([readFileSync(disk).subarray(0, START), readFileSync(fat)]);
  made.set(key, bytes);
  return bytes;
}

/** A disk with a FAT boot partition and an ext4 root, made by Debian's tools from some files. */
export const systemDisk = (boot: Tree, root: Tree, label = 'BOOT'): Promise<Uint8Array> =>
  inScratch((folder) => {
    const tree = join(folder, 'root');
    mkdirSync(tree);
    for (const [path, text] of Object.entries(root)) {
      const place = join(tree, path);
      mkdirSync(dirname(place), { recursive: true });
      if (text.startsWith('-> ')) symlinkSync(text.slice(3), place);
      else {
        writeFileSync(place, text);
        chmodSync(place, 0o755);
      }
    }
    const ext = join(folder, 'ext');
    run('mke2fs', ['-q', '-t', 'ext4', '-d', tree, ext, '8M']);
    const bytes = new Uint8Array(START + BOOT + ROOT);
    bytes.set(bootOf(folder, boot, label));
    bytes.set(readFileSync(ext), START + BOOT);
    return Promise.resolve(bytes);
  });

const known = new Map<string, Promise<SystemFacts>>();

/** What an image of such files is said to be able to do; the same one is made once. */
export function systemOf(boot: Tree, root: Tree, label = 'BOOT'): Promise<SystemFacts> {
  const key = JSON.stringify([boot, root, label]);
  const found = known.get(key) ?? look(boot, root, label);
  known.set(key, found);
  return found;
}

async function look(boot: Tree, root: Tree, label: string): Promise<SystemFacts> {
  const disk = new MemorySource(await systemDisk(boot, root, label));
  const partitions = await inspectDisk(disk);
  const { offset, size } = fatPartitions(partitions)[0]!;
  return lookAtSystem(disk, partitions, await FatVolume.openReadOnly(new SliceSource(disk, offset, size)));
}

const stanza = (name: string, version: string, state = 'install ok installed'): string =>
  `Package: ${name}\nStatus: ${state}\nArchitecture: arm64\nVersion: ${version}\nDescription: an invented text\n with a second line\n\n`;

export const dpkgStatus = (packages: Record<string, string>): string =>
  Object.entries(packages)
    .map(([name, version]) => stanza(name, version))
    .join('');

const unit = (name: string): Tree => ({
  [`usr/lib/systemd/system/${name}`]: `[Unit]\nDescription=${name}\n`,
  [`etc/systemd/system/multi-user.target.wants/${name}`]: `-> /usr/lib/systemd/system/${name}`,
});

/** A system that lacks nothing that is looked for. */
export const wholeRoot = (): Tree => ({
  'etc/fstab': 'PARTUUID=1-01 /boot/firmware vfat defaults 0 2\n',
  'etc/os-release': 'PRETTY_NAME="Practice OS 3"\n',
  'etc/passwd': 'root:x:0:0:root:/root:/bin/bash\ndaemon:x:1:1:d:/:/usr/sbin/nologin\n',
  'etc/shadow': 'root:*:19000:0:99999:7:::\ndaemon:*:19000::::::\n',
  'etc/cloud/cloud.cfg': 'datasource_list: [ NoCloud, None ]\n',
  'etc/locale.gen': '# en_GB.UTF-8 UTF-8\n',
  'etc/machine-id': 'uninitialized\n',
  'usr/bin/cloud-init': 'x',
  'usr/bin/sudo': 'x',
  'usr/bin/bash': 'x',
  'usr/bin/setupcon': 'x',
  'usr/bin/growpart': 'x',
  'usr/sbin/NetworkManager': 'x',
  'usr/sbin/netplan': 'x',
  'usr/sbin/wpa_supplicant': 'x',
  'usr/sbin/sshd': 'x',
  'usr/sbin/avahi-daemon': 'x',
  'usr/sbin/locale-gen': 'x',
  'usr/share/zoneinfo/Etc/UTC': 'x',
  'usr/lib/locale/C.utf8/LC_CTYPE': 'x',
  'usr/lib/systemd/systemd': 'x',
  'usr/lib/systemd/systemd-networkd': 'x',
  'usr/lib/systemd/system-generators/systemd-run-generator': 'x',
  ...unit('ssh.service'),
  ...unit('NetworkManager.service'),
  ...unit('avahi-daemon.service'),
  'var/lib/dpkg/status': dpkgStatus({ 'netplan.io': '1.1.2-2', 'cloud-init': '25.1', systemd: '257' }),
});

/** The same without some of its files. */
export const rootWithout = (...paths: string[]): Tree =>
  Object.fromEntries(
    Object.entries(wholeRoot()).filter(([path]) => !paths.some((gone) => path.includes(gone))),
  );

/** A boot partition from which the kernel's command line is read, labelled as a seed is looked for. */
export const wholeBoot: Tree = { 'cmdline.txt': 'root=/dev/x rootwait\n', 'config.txt': 'arm_64bit=1\n' };
