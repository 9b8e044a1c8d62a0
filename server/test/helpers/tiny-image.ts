import { execFileSync } from 'node:child_process';
import { copyFileSync, mkdirSync, readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin`, MTOOLS_SKIP_CHECK: '1' };
const MiB = 1 << 20;

/** What makes an image take a declarative seed. */
const seed = { 'meta-data': 'instance-id: unset\n', 'user-data': '#cloud-config\n' };

/**
 * Makes an image of eight megabytes that a practice board starts from, by Debian's own tools: for tests that write
 * thousands of cards.
 * @param more files of its boot partition, by their paths; those of a declarative seed where nothing is said
 */
export function tinyImage(folder: string, more: Record<string, string> = seed): string {
  mkdirSync(folder, { recursive: true });
  const disk = join(folder, 'tiny.img');
  const boot = join(folder, 'boot.img');
  writeFileSync(disk, '');
  truncateSync(disk, 8 * MiB);
  execFileSync('sfdisk', ['-q', disk], {
    env,
    input: 'label: dos\nstart=2048, size=12288, type=6, bootable\n',
  });
  execFileSync(
    'mkfs.fat',
    ['-C', '-F', '16', '-s', '1', '-n', more === seed ? 'CIDATA' : 'BOOT', '-i', '4d41524b', boot, '6144'],
    {
      env,
      stdio: 'pipe',
    },
  );
  const files: Record<string, string> = {
    'extlinux/extlinux.conf': 'DEFAULT t\nLABEL t\n  KERNEL ../vmlinuz\n  APPEND root=/dev/x ds=nocloud\n',
    vmlinuz: 'a kernel',
    ...more,
  };
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), text);
  }
  const names = [...new Set(Object.keys(files).map((name) => join(folder, name.split('/')[0] ?? '')))];
  execFileSync('mcopy', ['-s', '-i', boot, ...names, '::'], { env });
  const bytes = readFileSync(disk);
  readFileSync(boot).copy(bytes, MiB);
  writeFileSync(disk, bytes);
  const named = join(folder, 'tiny-os.img');
  copyFileSync(disk, named);
  return named;
}
