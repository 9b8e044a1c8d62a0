import { execFile } from 'node:child_process';
import { chmod, cp, mkdir, symlink, writeFile } from 'node:fs/promises';
import { join } from 'node:path';

/**
 * A scratch root in which a script can really run, as on a board: namespaces of its own without a network, the
 * workstation's programs to read only, and none of root's rights beyond those on files (capabilities(7)).
 */

const kept = ['chown', 'dac_override', 'fowner', 'fsetid', 'setuid', 'setgid', 'kill'];

/** Files of a fresh Debian system that its user tools need. */
const files: Record<string, [string, number]> = {
  'etc/passwd': ['root:x:0:0:root:/root:/bin/bash\n', 0o644],
  'etc/group': [
    'root:x:0:\nadm:x:4:\ndialout:x:20:\nsudo:x:27:\nvideo:x:44:\nusers:x:100:\nnogroup:x:65534:\n',
    0o644,
  ],
  'etc/shadow': ['root:*:20000:0:99999:7:::\n', 0o640],
  'etc/gshadow': ['root:*::\nadm:*::\ndialout:*::\nsudo:*::\nvideo:*::\nusers:*::\nnogroup:*::\n', 0o640],
  'etc/hosts': ['127.0.0.1\tlocalhost\n127.0.1.1\tboard\n', 0o644],
  'etc/hostname': ['board\n', 0o644],
  'etc/nsswitch.conf': ['passwd: files\ngroup: files\nshadow: files\n', 0o644],
  'etc/login.defs': [
    'UID_MIN 1000\nUID_MAX 60000\nGID_MIN 1000\nGID_MAX 60000\nUSERGROUPS_ENAB yes\n',
    0o644,
  ],
  'etc/skel/.profile': ['# made at login\n', 0o644],
  'etc/ssh/sshd_config': ['UsePAM yes\n', 0o644],
};

/** Makes the root of a fresh system. */
export async function freshRoot(root: string): Promise<void> {
  for (const folder of [
    'usr',
    'proc',
    'tmp',
    'var/lib',
    'home',
    'root',
    'boot',
    'etc/skel',
    'etc/ssh',
    'etc/sudoers.d',
    'dev',
  ])
    await mkdir(join(root, folder), { recursive: true });
  for (const link of ['bin', 'sbin', 'lib', 'lib64'])
    await symlink(`usr/${link}`, join(root, link)).catch(() => undefined);
  for (const [path, [content, mode]] of Object.entries(files)) {
    await writeFile(join(root, path), content);
    await chmod(join(root, path), mode);
  }
  await writeFile(join(root, 'dev/null'), '');
}

/** Copies a boot partition's files into the root. */
export const fillBoot = (root: string, folder: string): Promise<void> =>
  cp(folder, join(root, 'boot'), { recursive: true });

// Without the last mount each sync of the script would flush the workstation's own disks.
const inside = `
mount --bind /usr "$1/usr" && mount -o remount,bind,ro "$1/usr" && mount --bind /dev/null "$1/dev/null" &&
  mount --bind /usr/bin/true "$1/usr/bin/sync" || exit 97
shift_root=$1; shift
exec chroot "$shift_root" /usr/bin/setpriv --no-new-privs --inh-caps=-all --bounding-set=-all,${kept.map((name) => `+${name}`).join(',')} "$@"
`;

/** Whether this machine lets us make such a root. */
export const canSandbox = (): boolean => process.getuid?.() === 0;

/**
 * Runs a program in the root.
 * @param killAfter milliseconds after which everything in it is killed at once, as when the power goes
 * @returns exit code, or null when it was killed
 */
export function runInside(
  root: string,
  command: readonly string[],
  killAfter = 60_000,
): Promise<number | null> {
  return new Promise((resolve) => {
    const args = [
      '--mount',
      '--pid',
      '--net',
      '--ipc',
      '--uts',
      '--fork',
      '--kill-child',
      'sh',
      '-c',
      inside,
      'sh',
      root,
      ...command,
    ];
    execFile(
      'unshare',
      args,
      {
        timeout: killAfter,
        killSignal: 'SIGKILL',
        env: { PATH: '/usr/sbin:/usr/bin:/sbin:/bin', LC_ALL: 'C.UTF-8' },
      },
      (error) => {
        resolve(error ? (typeof error.code === 'number' ? error.code : null) : 0);
      },
    );
  });
}
