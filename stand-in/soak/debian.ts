import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import {
  chmodSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { createServer, type AddressInfo, type Server, type Socket } from 'node:net';
import { dirname, join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import type { CardFile } from '@nest-mark/core';

const here = __dirname;
const folder = join(here, '../../data/soak/debian');

/** The root of a Debian, made once. @throws when the machine does not allow it */
export function debianRoot(): string {
  if (!existsSync(join(folder, 'made'))) {
    mkdirSync(folder, { recursive: true });
    execFileSync(join(here, 'make-debian.sh'), [folder], { stdio: 'inherit' });
  }
  return join(folder, 'root');
}

/** Milliseconds that a start may take on a busy machine. */
const LONGEST = 180_000;

let count = 0;

/** Carries what comes to the login service of the network that it was started in. */
const CARRIER = `const line = require('node:net').connect(22, '127.0.0.1');
line.on('error', () => process.exit(1)).on('close', () => process.exit(0));
process.stdin.pipe(line).pipe(process.stdout);`;

/** A system that is on. */
export class Powered {
  /** How each of its starts ended. */
  readonly ends: ('restart' | 'off' | 'killed')[] = [];
  private readonly server: Server;
  private readonly sockets = new Set<Socket>();

  constructor(pid: () => string | null) {
    this.server = createServer((socket) => {
      const first = pid();
      if (first === null) {
        socket.destroy();
        return;
      }
      this.sockets.add(socket);
      const carrier = spawn('nsenter', ['-t', first, '-n', process.execPath, '-e', CARRIER], {
        stdio: ['pipe', 'pipe', 'ignore'],
      });
      socket.pipe(carrier.stdin);
      carrier.stdout.pipe(socket);
      carrier.stdin.on('error', () => undefined);
      carrier.once('close', () => socket.destroy());
      socket.on('error', () => undefined);
      socket.once('close', () => {
        this.sockets.delete(socket);
        carrier.kill('SIGKILL');
      });
    });
  }

  async open(): Promise<void> {
    this.server.listen(0, '127.0.0.1');
    await once(this.server, 'listening');
  }

  get port(): number {
    return (this.server.address() as AddressInfo).port;
  }

  close(): void {
    this.server.close();
    for (const socket of this.sockets) socket.destroy();
  }
}

/** A Debian on a layer of its own over the one that was made, which can be started, looked at and started again. */
export class StartedDebian {
  private readonly place = mkdtempSync(join(tmpdir(), 'nest-mark-debian-'));
  private running: ChildProcess | null = null;
  /** Control groups of its starts. */
  private readonly groups: string[] = [];
  /** Where boards mount their boot partition. */
  readonly mountedAt = '/boot/firmware';

  constructor() {
    execFileSync('mount', ['-t', 'tmpfs', 'layer', this.place]);
    for (const name of ['upper', 'work', 'root']) mkdirSync(join(this.place, name));
    const layers = `lowerdir=${debianRoot()},upperdir=${join(this.place, 'upper')},workdir=${join(this.place, 'work')}`;
    execFileSync('mount', ['-t', 'overlay', '-o', layers, 'layers', this.root]);
    mkdirSync(join(this.root, this.mountedAt), { recursive: true });
  }

  /** The system's root, as this machine sees it. */
  get root(): string {
    return join(this.place, 'root');
  }

  /** A file of the system; null when there is none. */
  read(path: string): string | null {
    try {
      return readFileSync(join(this.root, path), 'utf8');
    } catch {
      return null;
    }
  }

  /** Octets of a file of the system; null when there is none. */
  readOctets(path: string): Buffer | null {
    try {
      return readFileSync(join(this.root, path));
    } catch {
      return null;
    }
  }

  remove(path: string): void {
    rmSync(join(this.root, path), { recursive: true, force: true });
  }

  write(path: string, text: string | Uint8Array): void {
    mkdirSync(dirname(join(this.root, path)), { recursive: true });
    writeFileSync(join(this.root, path), text);
  }

  /** Keeps a service from being started. */
  mask(unit: string): void {
    const path = join(this.root, '/etc/systemd/system', unit);
    rmSync(path, { force: true });
    symlinkSync('/dev/null', path);
  }

  /** Files of a card, where the boot partition would be: this kernel mounts no FAT. */
  putCard(files: readonly CardFile[]): void {
    for (const { path, content } of files) {
      this.write(`${this.mountedAt}/${path}`, content);
      // FAT knows no permissions; systems mount it so that everything can be run.
      chmodSync(join(this.root, this.mountedAt, path), 0o755);
    }
  }

  /** Runs a program in its files, before it is started. @throws when it fails */
  prepare(program: string, ...args: string[]): void {
    execFileSync('chroot', [this.root, program, ...args], {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { PATH: '/usr/sbin:/usr/bin:/sbin:/bin', LC_ALL: 'C.UTF-8', DEBIAN_FRONTEND: 'noninteractive' },
    });
  }

  /**
   * Starts it as a board's power does: where it starts anew it does, and where it shuts down it stays off. Its login
   * service is reached at a port of this computer's loopback, as long as the system is on.
   */
  async power(): Promise<Powered> {
    const powered = new Powered(() => this.pidInside());
    await powered.open();
    const again = (): void => {
      this.start();
      this.running?.once('close', (_code, signal) => {
        // reboot(2), "Behavior inside PID namespaces": a restart ends its first process by SIGHUP, power off by SIGINT.
        powered.ends.push(signal === 'SIGHUP' ? 'restart' : signal === 'SIGINT' ? 'off' : 'killed');
        if (signal === 'SIGHUP') again();
        else powered.close();
      });
    };
    again();
    return powered;
  }

  /** Starts it. @param words as on the kernel's command line */
  start(...words: string[]): void {
    const name = `nest-${String(process.pid)}-${String(++count)}`;
    this.groups.push(name);
    this.running = spawn(join(here, 'boot-debian.sh'), [this.root, name, ...words], { stdio: 'ignore' });
  }

  /** Until it goes off or restarts. */
  async ended(): Promise<void> {
    const running = this.running;
    if (running?.exitCode === null && running.signalCode === null) await once(running, 'close');
    this.running = null;
  }

  /** Runs a program in the system that is started. @returns what it printed, or null when it failed */
  inside(program: string, ...args: string[]): string | null {
    const first = this.pidInside();
    if (first === null) return null;
    try {
      return execFileSync('nsenter', ['-t', first, '-a', program, ...args], {
        encoding: 'utf8',
        stdio: ['ignore', 'pipe', 'ignore'],
        env: { PATH: '/usr/sbin:/usr/bin:/sbin:/bin', LC_ALL: 'C.UTF-8' },
      });
    } catch {
      return null;
    }
  }

  /** Its first process, as this machine counts them; null while it is off. */
  private pidInside(): string | null {
    const outer = this.running?.pid;
    if (outer === undefined) return null;
    try {
      const [first = ''] = readFileSync(`/proc/${String(outer)}/task/${String(outer)}/children`, 'utf8')
        .trim()
        .split(' ');
      return first === '' ? null : first;
    } catch {
      return null;
    }
  }

  /** Waits for a state. @throws when it does not come */
  async until(state: () => boolean, what: string): Promise<void> {
    const end = Date.now() + LONGEST;
    while (!state()) {
      if (Date.now() > end) throw new Error(`it did not come: ${what}`);
      await pause(300);
    }
  }

  /** The last stage of cloud-init has ended, well or not. */
  cloudInitOver(): Promise<void> {
    return this.until(
      () =>
        /"modules-final": \{[^}]*"finished": [0-9.]+/.test(
          this.read('/var/lib/cloud/data/status.json') ?? '',
        ),
      'the end of cloud-init',
    );
  }

  /** The start is over when systemd has no job left, well or not. */
  startOver(): Promise<void> {
    return this.until(
      // Its exit code is 0 for a start without any fault only.
      () => /^(running|degraded)/.test(this.inside('sh', '-c', 'systemctl is-system-running || true') ?? ''),
      'the end of the start',
    );
  }

  async stop(): Promise<void> {
    this.running?.kill('SIGKILL');
    await this.ended();
  }

  async end(): Promise<void> {
    await this.stop();
    await pause(200);
    for (const name of this.groups)
      execFileSync(
        'find',
        [`/sys/fs/cgroup/systemd/${name}`, '-depth', '-type', 'd', '-exec', 'rmdir', '{}', ';'],
        { stdio: 'ignore' },
      );
    execFileSync('umount', [this.root]);
    execFileSync('umount', [this.place]);
    rmSync(this.place, { recursive: true, force: true });
  }
}
