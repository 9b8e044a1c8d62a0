import { execFileSync } from 'node:child_process';
import { copyFileSync, mkdirSync, readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin`, MTOOLS_SKIP_CHECK: '1' };
const MiB = 1 << 20;

/**
 * Makes an image of eight megabytes that a practice board starts from and that takes a declarative seed, by Debian's
 * own tools: for tests that write thousands of cards.
 */
export function tinyImage(folder: string): string {
  mkdirSync(join(folder, 'extlinux'), { recursive: true });
  const disk = join(folder, 'tiny.img');
  const boot = join(folder, 'boot.img');
  writeFileSync(disk, '');
  truncateSync(disk, 8 * MiB);
  execFileSync('sfdisk', ['-q', disk], {
    env,
    input: 'label: dos\nstart=2048, size=12288, type=6, bootable\n',
  });
  execFileSync('mkfs.fat', ['-C', '-F', '16', '-s', '1', '-n', 'CIDATA', '-i', '4d41524b', boot, '6144'], {
    env,
    stdio: 'pipe',
  });
  const files: Record<string, string> = {
    'extlinux/extlinux.conf': 'DEFAULT t\nLABEL t\n  KERNEL ../vmlinuz\n  APPEND root=/dev/x ds=nocloud\n',
    vmlinuz: 'a kernel',
    'meta-data': 'instance-id: unset\n',
    'user-data': '#cloud-config\n',
  };
  for (const [name, text] of Object.entries(files)) writeFileSync(join(folder, name), text);
  const names = ['extlinux', 'vmlinuz', 'meta-data', 'user-data'].map((name) => join(folder, name));
  execFileSync('mcopy', ['-s', '-i', boot, ...names, '::'], { env });
  const bytes = readFileSync(disk);
  readFileSync(boot).copy(bytes, MiB);
  writeFileSync(disk, bytes);
  const named = join(folder, 'tiny-os.img');
  copyFileSync(disk, named);
  return named;
}
