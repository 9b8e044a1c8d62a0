import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { chmod, lchown, mkdir, readdir, rm, symlink, writeFile } from 'node:fs/promises';
import { userInfo } from 'node:os';
import { join } from 'node:path';
import { PassThrough, type Readable, type Writable } from 'node:stream';

/**
 * A scratch root in which a script can really run, as on a board: in a user namespace of its own (user_namespaces(7)),
 * whose root is nobody on this machine, without a network, with the workstation's programs to read only, and with none
 * of root's rights beyond those on files (capabilities(7)). What runs there can write into its root and nowhere else,
 * whatever it links to; so its results have to be read from inside too (`read-inside.ts`).
 */

const kept = ['chown', 'dac_override', 'fowner', 'fsetid', 'setuid', 'setgid', 'kill'];

/** First of the account numbers that stand for those inside, where root maps them; no system hands these out. */
const FIRST_ID = 2_100_000_000;
const IDS = 65_536;

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

const asRoot = (): boolean => process.getuid?.() === 0;

/** Gives a tree that holds nothing but what was just made here to the namespace's accounts. */
async function handOver(path: string): Promise<void> {
  await lchown(path, FIRST_ID, FIRST_ID);
  for (const entry of await readdir(path, { withFileTypes: true })) {
    const inner = join(path, entry.name);
    if (entry.isDirectory()) await handOver(inner);
    else await lchown(inner, FIRST_ID, FIRST_ID);
  }
}

/** A file of a boot partition. */
export interface BootFile {
  /** From the partition's root, its parts checked. */
  path: string;
  content: Uint8Array;
}

/**
 * Makes the root of a fresh system with the files of a boot partition in it.
 * @param root an empty folder of one's own
 * @param mountedAt where the system has the boot partition, checked by `mountPoint`
 * @param more further files of the system, by paths of our own making
 */
export async function freshRoot(
  root: string,
  mountedAt: string,
  boot: readonly BootFile[],
  more: readonly { path: string; content: string | Uint8Array; mode?: number }[] = [],
): Promise<void> {
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
    mountedAt,
  ])
    await mkdir(join(root, folder), { recursive: true, mode: 0o755 });
  for (const link of ['bin', 'sbin', 'lib', 'lib64']) await symlink(`usr/${link}`, join(root, link));
  for (const [path, [content, mode]] of Object.entries(files)) {
    await writeFile(join(root, path), content);
    await chmod(join(root, path), mode);
  }
  await writeFile(join(root, 'dev/null'), '');
  for (const { path, content } of boot) {
    await mkdir(join(root, mountedAt, path, '..'), { recursive: true, mode: 0o755 });
    await writeFile(join(root, mountedAt, path), content, { mode: 0o755 });
  }
  for (const { path, content, mode = 0o644 } of more) {
    await mkdir(join(root, path, '..'), { recursive: true, mode: 0o755 });
    await writeFile(join(root, path), content, { mode });
    await chmod(join(root, path), mode);
  }
  // Its files hold secrets, and it lies where everybody can look.
  await chmod(root, 0o700);
  if (asRoot()) await handOver(root);
}

// Without the mount over it each sync of the script would flush the workstation's own disks. A board does not have the
// programs of the tunnel and the screen before they are installed on it, whatever the workstation has.
const mounts = `
mount --rbind /usr "$1/usr" && mount -o remount,bind,ro "$1/usr" && mount --bind /dev/null "$1/dev/null" &&
  mount --bind /usr/bin/true "$1/usr/bin/sync" || exit 97
if [ -d "$1/board/local" ]; then mount --bind "$1/board/local" "$1/usr/local" || exit 97; fi
for program in wg wg-quick xrdp; do
  if [ -e "$1/usr/bin/$program" ]; then mount --bind /dev/null "$1/usr/bin/$program" || exit 97; fi
done
ip link set lo up
`;
const enters = `
ulimit -f 131072
umask 022
if [ -f "$1/board/disk-full" ]; then
  full=$1/var/cache/apt/archives
  mount -t tmpfs -o size=64k full "$full" && mkdir "$full/partial"
fi
shift_root=$1; shift
exec chroot "$shift_root" /usr/bin/setpriv --no-new-privs --inh-caps=-all --bounding-set=-all,${kept.map((name) => `+${name}`).join(',')} "$@"
`;
/** Nothing can be mounted before root is mapped: that is told by the second line. */
const READY = 'ready\n';
const whenMapped = (work: string): string => `
echo ready
read -r mapped || exit 98
exec /bin/sh -c '${work}' sh "$@"
`;
const inside = whenMapped(`${mounts}${enters}`);
/** Stays until its input ends, which it does with whoever started it. */
const keeps = whenMapped(`${mounts}echo up\nread -r forever`);

/** Ranges of further account numbers that a plain account may use (subuid(5)). */
const hasRange = (file: string): boolean => {
  const { username, uid } = userInfo();
  const owners = [username, String(uid)];
  return (
    existsSync(file) &&
    readFileSync(file, 'utf8')
      .split('\n')
      .some((line) => owners.includes(line.split(':')[0] ?? '') && Number(line.split(':')[2]) >= IDS)
  );
};

/**
 * Why this machine does not let us make such a root; null when it does. A script makes users and gives files to them,
 * so it needs more than one account number inside.
 */
export function noSandbox(): string | null {
  const most = '/proc/sys/user/max_user_namespaces';
  if (!existsSync(most) || Number(readFileSync(most, 'latin1')) === 0)
    return 'the system allows no user namespaces (sysctl user.max_user_namespaces)';
  if (asRoot()) return null;
  if (!existsSync('/usr/bin/newuidmap'))
    return 'the Debian package uidmap is missing, which a plain account needs for it';
  if (!hasRange('/etc/subuid') || !hasRange('/etc/subgid'))
    return 'this account has no range of further account numbers; as root run "usermod --add-subuids 100000-165535 --add-subgids 100000-165535" for it';
  return null;
}

/** What a program in the root did. */
export interface InsideRun {
  /** Exit code, or null when it was killed. */
  code: number | null;
  /** What it wrote to its standard output, up to the bound. */
  output: Buffer;
}

/** Octets of a program's output that are kept. */
export const OUTPUT = 4 << 20;

const shared = ['--user', '--mount', '--net', '--ipc', '--uts'];
const alone = ['--pid', '--fork', '--kill-child'];

/** Starts a program of this workstation that enters a root, or makes one. */
const startOutside = (program: string, args: readonly string[]): ChildProcess =>
  spawn(program, args, {
    ...(asRoot() ? { uid: FIRST_ID, gid: FIRST_ID } : {}),
    cwd: '/',
    // The fourth stays open in everything that runs there, so that its end is the end of all of it; on the last one
    // programs tell what is to happen to the board.
    stdio: ['pipe', 'pipe', 'pipe', 'pipe', 'ignore', 'ignore', 'ignore', 'ignore', 'ignore', 'pipe'],
    env: { PATH: '/usr/sbin:/usr/bin:/sbin:/bin', LC_ALL: 'C.UTF-8' },
  });

/** Has the namespace's account numbers mapped: by root from outside, as only root may map a range; else by newuidmap. */
function startMapped(
  kinds: readonly string[],
  work: string,
  program: readonly string[],
): { child: ChildProcess; map: () => void } {
  const by = asRoot() ? [] : ['--map-root-user', '--map-auto'];
  const child = startOutside('unshare', [...kinds, ...by, '/bin/sh', '-c', work, 'sh', ...program]);
  const map = (): void => {
    if (asRoot())
      for (const file of ['uid_map', 'gid_map'])
        writeFileSync(`/proc/${String(child.pid)}/${file}`, `0 ${String(FIRST_ID)} ${String(IDS)}\n`);
  };
  return { child, map };
}

/**
 * A root whose namespaces are kept while its system is on: a program in it then starts without making and mounting
 * anything. They are gone with whoever keeps them.
 */
export class KeptRoot {
  /** Programs of our own that stay in it. */
  private readonly staying = new Set<InsideChild>();
  private closing = false;

  private constructor(
    readonly root: string,
    private readonly keeper: ChildProcess,
  ) {}

  /** @throws when the machine does not make it */
  static open(root: string): Promise<KeptRoot> {
    const { child, map } = startMapped(shared, keeps, [root]);
    return new Promise((resolve, reject) => {
      const failed = (): void => reject(new Error('the namespaces of a scratch root could not be made'));
      let told = '';
      child.once('error', failed);
      child.once('close', failed);
      child.stdin?.on('error', () => undefined);
      child.stdout?.on('data', (data: Buffer) => {
        told += data.toString('latin1');
        if (told === READY) {
          map();
          child.stdin?.write('mapped\n');
        } else if (told === `${READY}up\n`) resolve(new KeptRoot(root, child));
      });
    });
  }

  /** Starts a program in it. */
  start(program: readonly string[]): ChildProcess {
    const into = ['--target', String(this.keeper.pid), ...shared, '--'];
    const own = ['unshare', '--mount', ...alone, '/bin/sh', '-c', enters, 'sh', this.root, ...program];
    return startOutside('nsenter', [...into, ...own]);
  }

  /** Has a program end with it. */
  stays(child: InsideChild): void {
    this.staying.add(child);
    void child.ended.then(() => this.staying.delete(child));
    if (this.closing) child.kill();
  }

  async close(): Promise<void> {
    this.closing = true;
    for (const child of this.staying) child.kill();
    // Who still waits to read begins another one when the one before ends.
    while (this.staying.size > 0) await Promise.all([...this.staying].map(({ ended }) => ended));
    if (this.keeper.exitCode !== null || this.keeper.signalCode !== null) return;
    const closed = new Promise<void>((resolve) => this.keeper.once('close', () => resolve()));
    this.keeper.kill('SIGKILL');
    await closed;
  }
}

/** A program that runs in the root. */
export interface InsideChild {
  /** What it reads; ready from the first moment on. */
  input: Writable;
  kill(): void;
  /** Its exit code, when everything that it started has ended too; null when it was killed. */
  ended: Promise<number | null>;
}

/** What is told of a program in the root, as it comes. */
export interface InsideEars {
  onOutput?: (data: Buffer) => void;
  onError?: (data: Buffer) => void;
  /** A line that a program wrote on the pipe of the board's own. */
  onOrder?: (line: string) => void;
}

/** Where programs run: a root that is set up for one of them, or one that is kept. */
export type Inside = string | KeptRoot;

/** Starts a program in the root. */
export function startInside(where: Inside, command: readonly string[], ears: InsideEars): InsideChild {
  const isKept = where instanceof KeptRoot;
  const { child, map } = isKept
    ? { child: where.start(command), map: () => undefined }
    : startMapped([...shared, ...alone], inside, [where, ...command]);
  // What is written before the namespace is there waits here: its first line is ours.
  const input = new PassThrough();
  let mapped = isKept;
  let orders = '';
  input.on('error', () => undefined);
  child.stdin?.on('error', () => undefined);
  if (isKept && child.stdin) input.pipe(child.stdin);
  child.stdio[3]?.on('data', () => undefined);
  child.stderr?.on('data', (data: Buffer) => ears.onError?.(data));
  const pipes: readonly (Writable | Readable | null | undefined)[] = child.stdio;
  pipes[9]?.on('data', (data: Buffer) => {
    const lines = (orders + data.toString('utf8')).slice(-10_000).split('\n');
    orders = lines.pop() ?? '';
    for (const line of lines) ears.onOrder?.(line);
  });
  child.stdout?.on('data', (data: Buffer) => {
    if (mapped) {
      ears.onOutput?.(data);
      return;
    }
    // The first line says that the namespace is there.
    mapped = true;
    try {
      map();
      child.stdin?.write('mapped\n');
      if (child.stdin) input.pipe(child.stdin);
    } catch {
      child.kill('SIGKILL');
    }
    if (data.length > READY.length) ears.onOutput?.(data.subarray(READY.length));
  });
  const ended = new Promise<number | null>((resolve) => {
    child.once('error', () => resolve(null));
    child.once('close', (code) => resolve(code));
  });
  return { input, kill: () => void child.kill('SIGKILL'), ended };
}

/**
 * Runs a program in the root.
 * @param killAfter milliseconds after which everything in it is killed at once, as when the power goes
 */
export async function runInside(
  where: Inside,
  command: readonly string[],
  killAfter = 60_000,
): Promise<InsideRun> {
  const parts: Buffer[] = [];
  let length = 0;
  const child = startInside(where, command, {
    onOutput: (data) => {
      length += data.length;
      if (length <= OUTPUT) parts.push(data);
    },
  });
  child.input.end();
  const timer = setTimeout(() => child.kill(), killAfter);
  const code = await child.ended;
  clearTimeout(timer);
  return { code, output: Buffer.concat(parts) };
}

/** Removes a root with everything in it; files there belong to account numbers that a plain account cannot touch. */
export async function removeRoot(root: string): Promise<void> {
  if (!asRoot()) await runInside(root, ['/bin/sh', '-c', 'rm -rf /home /root /etc /var /tmp /boot'], 20_000);
  await rm(root, { recursive: true, force: true });
}
