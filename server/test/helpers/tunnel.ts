import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const run = (command: string, ...args: string[]): string =>
  execFileSync(command, args, { encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] });

/** Computers on one cable, each in a network namespace of its own, that open tunnels by Debian's own programs. */
export class TunnelLab {
  private readonly name = `nmv${String(process.pid)}`;
  private readonly folder = mkdtempSync(join(tmpdir(), 'nest-mark-tunnel-'));
  private readonly spaces: string[] = [];

  /** Whether this machine lets a lab be made. */
  static possible(): boolean {
    if (process.getuid?.() !== 0 || !existsSync('/dev/net/tun')) return false;
    try {
      run('ip', 'netns', 'add', `nmvtry${String(process.pid)}`);
      run('ip', 'netns', 'del', `nmvtry${String(process.pid)}`);
      return true;
    } catch {
      return false;
    }
  }

  constructor() {
    this.space('sw');
    this.inside('sw', 'ip', 'link', 'add', 'br0', 'type', 'bridge');
    this.inside('sw', 'ip', 'link', 'set', 'br0', 'up');
  }

  /** A computer on the cable. @param address in CIDR form */
  computer(name: string, address: string): void {
    const space = this.space(name);
    run(
      'ip',
      '-n',
      space,
      'link',
      'add',
      'eth0',
      'type',
      'veth',
      'peer',
      'name',
      `p${name}`,
      'netns',
      this.of('sw'),
    );
    this.inside('sw', 'ip', 'link', 'set', `p${name}`, 'master', 'br0', 'up');
    this.inside(name, 'ip', 'addr', 'add', address, 'dev', 'eth0');
    this.inside(name, 'ip', 'link', 'set', 'eth0', 'up');
  }

  /**
   * Opens a tunnel with a file as it was handed out (wg-quick(8)); where the kernel has no WireGuard, by Debian's
   * implementation outside of it.
   * @param interfaceName of the tunnel: those outside of the kernel share one folder of sockets
   */
  opens(name: string, interfaceName: string, content: string): void {
    const path = join(this.folder, `${interfaceName}.conf`);
    writeFileSync(path, content, { mode: 0o600 });
    this.inside(name, 'wg-quick', 'up', path);
  }

  inside(name: string, ...command: string[]): string {
    return run('ip', 'netns', 'exec', this.of(name), ...command);
  }

  end(): void {
    for (const space of this.spaces) {
      for (const pid of run('ip', 'netns', 'pids', space).split('\n').filter(Boolean))
        process.kill(Number(pid), 'SIGKILL');
      run('ip', 'netns', 'del', space);
    }
    rmSync(this.folder, { recursive: true, force: true });
  }

  private of(name: string): string {
    return `${this.name}${name}`;
  }

  private space(name: string): string {
    run('ip', 'netns', 'add', this.of(name));
    this.spaces.push(this.of(name));
    this.inside(name, 'ip', 'link', 'set', 'lo', 'up');
    return this.of(name);
  }
}
