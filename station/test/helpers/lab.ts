import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { OWN_SERVICE_PATH, ownService } from '../../../core/src/firstboot/own-service';
import { libraries, program } from './programs';

/**
 * A network of its own: a switch, somebody who gives out addresses (dnsmasq), a workstation, and boards with the
 * programs that real ones have (udhcpc, avahi, OpenSSH), each in a network namespace. Nothing of it reaches another
 * network. Needs root.
 */

const accounts = {
  passwd:
    'systemd-network:x:64997:64997::/:/bin/false\nsshd:x:64998:65534::/run/sshd:/bin/false\navahi:x:64999:64999::/run/avahi-daemon:/bin/false\n',
  group: 'systemd-network:x:64997:\navahi:x:64999:\n',
};

const wanted = ['avahi-daemon', 'dnsmasq', 'sshd', 'busybox', 'ssh-keygen', 'dhclient', 'dhcpd', 'kea-dhcp4'];

/** Its network service does not lie among the programs that people run. */
const NETWORKD = '/lib/systemd/systemd-networkd';

/** Programs by which boards ask for an address, and by which networks give one. */
type Client = 'udhcpc' | 'dhclient' | 'networkd';
type Server = 'dnsmasq' | 'dhcpd' | 'kea-dhcp4';

const SUBNET = '10.98.7';
let count = 0;

const ip = (...args: string[]): string => execFileSync('ip', args, { encoding: 'utf8' });

export interface LabBoard {
  hostName: string;
  hardwareAddress: string;
  /** The public half of its host key as `type base64`. */
  hostKey: string;
}

export class NetworkLab {
  readonly folder = mkdtempSync(join(tmpdir(), 'nest-mark-lab-'));
  private readonly name = `nm${String(process.pid)}x${String(++count)}`;
  private readonly children: ChildProcess[] = [];
  private readonly spaces: string[] = [];
  private readonly words: (() => string)[] = [];

  /** Whether this machine lets a lab be made. */
  static possible(): boolean {
    if (process.getuid?.() !== 0 || !existsSync(NETWORKD) || wanted.some((name) => program(name) === null))
      return false;
    const name = `nmtry${String(process.pid)}`;
    try {
      ip('netns', 'add', name);
      ip('netns', 'del', name);
      return true;
    } catch {
      return false;
    }
  }

  constructor() {
    // These programs want accounts of their own names, which a machine without them has not. Written once: whoever
    // starts while the file is being written again would find nobody in it.
    for (const [file, own] of Object.entries(accounts))
      writeFileSync(
        join(this.folder, file),
        `${readFileSync(`/etc/${file}`, 'utf8').replace(/^(?:sshd|avahi|systemd-network):.*\n/gm, '')}${own}`,
      );
    this.space('sw');
    this.inside('sw', 'ip', 'link', 'add', 'br0', 'type', 'bridge');
    this.inside('sw', 'ip', 'addr', 'add', `${SUBNET}.1/24`, 'dev', 'br0');
    this.inside('sw', 'ip', 'link', 'set', 'br0', 'up');
    this.plug('ws', '02:00:5e:00:53:fe');
    this.inside('ws', 'ip', 'addr', 'add', `${SUBNET}.2/24`, 'dev', 'eth0');
    this.untilItCarries('sw', 'br0');
  }

  /**
   * The kernel tells a link's state a moment after the fact; kea opens no socket on one that is not up yet, and does
   * not look again.
   */
  private untilItCarries(space: string, link: string): void {
    while (!/"operstate":"UP"/.test(ip('-n', this.of(space), '-j', 'link', 'show', link)))
      execFileSync('sleep', ['0.02']);
  }

  /** Begins to give out addresses. @param last of the pool; the first is 20 */
  serveAddresses(last = 99, by: Server = 'dnsmasq'): void {
    const leases = this.leaseFile;
    const range = [`${SUBNET}.20`, `${SUBNET}.${String(last)}`] as const;
    const conf = join(this.folder, 'server.conf');
    if (by === 'dnsmasq')
      this.start('sw', program('dnsmasq') ?? '', [
        '--keep-in-foreground',
        '--conf-file=/dev/null',
        '--port=0',
        '--bind-interfaces',
        '--interface=br0',
        '--no-ping',
        '--user=root',
        '--group=root',
        `--dhcp-leasefile=${leases}`,
        `--pid-file=${join(this.folder, 'dnsmasq.pid')}`,
        `--dhcp-range=${range.join(',')},255.255.255.0,1h`,
      ]);
    else if (by === 'dhcpd') {
      writeFileSync(leases, '');
      writeFileSync(
        conf,
        `authoritative;\nping-check false;\nsubnet ${SUBNET}.0 netmask 255.255.255.0 { range ${range.join(' ')}; }\n`,
      );
      this.start('sw', program('dhcpd') ?? '', [
        '-4',
        '-f',
        '-d',
        '--no-pid',
        '-cf',
        conf,
        '-lf',
        leases,
        'br0',
      ]);
    } else {
      writeFileSync(
        conf,
        JSON.stringify({
          Dhcp4: {
            'interfaces-config': { interfaces: ['br0'] },
            'lease-database': { type: 'memfile', persist: true, name: leases, 'lfc-interval': 0 },
            subnet4: [{ id: 1, subnet: `${SUBNET}.0/24`, pools: [{ pool: range.join(' - ') }] }],
          },
        }),
      );
      this.start('sw', 'env', [
        `KEA_PIDFILE_DIR=${this.folder}`,
        `KEA_LOCKFILE_DIR=${this.folder}`,
        program('kea-dhcp4') ?? '',
        '-c',
        conf,
      ]);
    }
  }

  /** How many addresses were given out by dnsmasq. */
  leases(): number {
    return existsSync(this.leaseFile) ? readFileSync(this.leaseFile, 'utf8').split('\n').length - 1 : 0;
  }

  get leaseFile(): string {
    return join(this.folder, 'leases');
  }

  /** Connects a board and starts what a real one starts. */
  power(
    number: number,
    hostName: string,
    {
      address = true,
      mark = '',
      client = 'udhcpc',
    }: { address?: boolean; mark?: string; client?: Client } = {},
  ): LabBoard {
    const space = `b${String(number)}`;
    const hardwareAddress = `02:00:5e:00:53:${number.toString(16).padStart(2, '0')}`;
    const folder = join(this.folder, space);
    mkdirSync(folder);
    const key = join(folder, 'host_key');
    execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-f', key, '-C', hostName]);
    const [type = '', blob = ''] = execFileSync('cat', [`${key}.pub`], { encoding: 'utf8' }).split(' ');
    writeFileSync(
      join(folder, 'sshd_config'),
      `Port 22\nHostKey ${key}\nPidFile none\nUsePAM no\nStrictModes no\nPasswordAuthentication no\n`,
    );
    writeFileSync(
      join(folder, 'avahi.conf'),
      `[server]\nhost-name=${hostName}\nuse-ipv4=yes\nuse-ipv6=yes\nenable-dbus=no\nratelimit-interval-usec=0\n[publish]\npublish-workstation=no\n[reflector]\n[rlimits]\n`,
    );
    this.plug(space, hardwareAddress);
    const known = Object.keys(accounts)
      .map((file) => `mount --bind ${join(this.folder, file)} /etc/${file}`)
      .join(' && ');
    // What a card has put there for the responder, on an /etc of its own.
    const service = join(folder, 'nest-mark.service');
    writeFileSync(service, mark === '' ? '' : ownService(mark));
    const told =
      mark === ''
        ? ''
        : `&& mkdir /run/etc /run/work && mount -t overlay none -o lowerdir=/etc,upperdir=/run/etc,workdir=/run/work /etc && ${known} && mkdir -p /etc/avahi/services && cp ${service} ${OWN_SERVICE_PATH}`;
    // Each has its own /run, where these programs keep their sockets.
    const own = (command: string): string[] => [
      '-c',
      // Whoever runs the tests may keep new files to itself; these programs work as accounts of their own.
      `umask 022 && mount -t tmpfs none /run && mkdir -p /run/sshd /run/avahi-daemon && ${known} ${told} && exec ${command}`,
    ];
    const alone = (command: string): ChildProcess =>
      this.start(space, 'unshare', ['--mount', '--propagation', 'private', 'sh', ...own(command)]);
    alone(`${program('sshd') ?? ''} -D -e -f ${join(folder, 'sshd_config')}`);
    alone(
      `${program('avahi-daemon') ?? ''} -f ${join(folder, 'avahi.conf')} --no-drop-root --no-chroot --no-rlimits`,
    );
    if (address) this.askForAddress(space, client, hostName, alone);
    return { hostName, hardwareAddress, hostKey: `${type} ${blob}` };
  }

  /** Starts what asks for an address, as one of the usual programs does. */
  private askForAddress(
    space: string,
    client: Client,
    hostName: string,
    alone: (command: string) => ChildProcess,
  ): void {
    const folder = join(this.folder, space);
    const script = join(folder, 'bound.sh');
    // udhcpc tells the step as its first word, dhclient its reason in the surroundings.
    writeFileSync(
      script,
      '#!/bin/sh\ncase "${1:-$reason}" in bound | BOUND | REBOOT) ip addr replace "${ip:-$new_ip_address}/24" dev "$interface" ;; esac\nexit 0\n',
    );
    chmodSync(script, 0o755);
    if (client === 'udhcpc')
      this.start(space, program('busybox') ?? '', [
        'udhcpc',
        '-f',
        '-i',
        'eth0',
        '-s',
        script,
        '-x',
        `hostname:${hostName}`,
      ]);
    else if (client === 'dhclient') {
      const conf = join(folder, 'dhclient.conf');
      writeFileSync(conf, `send host-name "${hostName}";\nrequest subnet-mask, routers;\n`);
      this.start(space, program('dhclient') ?? '', [
        '-4',
        '-d',
        '-cf',
        conf,
        '-lf',
        join(folder, 'dhclient.leases'),
        '-pf',
        join(folder, 'dhclient.pid'),
        '-sf',
        script,
        'eth0',
      ]);
    } else {
      const network = join(folder, '10-eth0.network');
      writeFileSync(
        network,
        `[Match]\nName=eth0\n[Network]\nDHCP=ipv4\nLinkLocalAddressing=ipv6\n[DHCPv4]\nHostname=${hostName}\n`,
      );
      // With /sys to read only it takes itself to be in a container, where nobody tells it of devices.
      alone(
        `sh -c 'mkdir -p /run/systemd/network /run/systemd/netif/links /run/systemd/netif/leases && cp ${network} /run/systemd/network/ && chmod 644 /run/systemd/network/* && chown -R systemd-network:systemd-network /run/systemd/netif && mount -o remount,ro /sys && exec env SYSTEMD_LOG_LEVEL=debug SYSTEMD_LOG_TARGET=console ${NETWORKD}'`,
      );
    }
  }

  /** Runs a program on the workstation. */
  work(command: string, args: string[]): ChildProcess {
    return this.start('ws', command, args, 'pipe');
  }

  /** Runs a command somewhere and returns what it prints. */
  inside(space: string, ...command: string[]): string {
    return ip('netns', 'exec', this.of(space), ...command);
  }

  /** What its programs have said last: why a board never came. */
  lastWords(): string {
    return this.words.map((words) => words()).join('\n');
  }

  async end(): Promise<void> {
    const gone = this.children.map((child) =>
      child.exitCode !== null || child.signalCode !== null
        ? Promise.resolve()
        : new Promise<void>((resolve) => child.once('exit', () => resolve())),
    );
    for (const child of this.children) child.kill('SIGKILL');
    await Promise.all(gone);
    for (const space of this.spaces) {
      // What its programs started of their own lives there still.
      for (const pid of ip('netns', 'pids', space).split('\n').filter(Boolean))
        process.kill(Number(pid), 'SIGKILL');
      ip('netns', 'del', space);
    }
    rmSync(this.folder, { recursive: true, force: true });
  }

  private of(space: string): string {
    return `${this.name}${space}`;
  }

  private space(name: string): void {
    ip('netns', 'add', this.of(name));
    this.spaces.push(this.of(name));
    this.inside(name, 'ip', 'link', 'set', 'lo', 'up');
  }

  /** A cable from a new namespace to the switch. */
  private plug(space: string, hardwareAddress: string): void {
    this.space(space);
    const port = `p${space}`;
    ip(
      '-n',
      this.of(space),
      'link',
      'add',
      'eth0',
      'type',
      'veth',
      'peer',
      'name',
      port,
      'netns',
      this.of('sw'),
    );
    this.inside(space, 'ip', 'link', 'set', 'eth0', 'address', hardwareAddress);
    this.inside('sw', 'ip', 'link', 'set', port, 'master', 'br0', 'up');
    this.inside(space, 'ip', 'link', 'set', 'eth0', 'up');
  }

  private start(
    space: string,
    command: string,
    args: string[],
    output: 'ignore' | 'pipe' = 'ignore',
  ): ChildProcess {
    const child = spawn('ip', ['netns', 'exec', this.of(space), command, ...args], {
      stdio: ['pipe', output, 'pipe'],
      env: {
        ...process.env,
        PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin`,
        ...(libraries === '' ? {} : { LD_LIBRARY_PATH: libraries }),
      },
    });
    this.children.push(child);
    let words = '';
    child.stderr!.setEncoding('utf8').on('data', (text: string) => (words = (words + text).slice(-2000)));
    const name = `${space}: ${[command, ...args].join(' ').slice(-60)}`;
    this.words.push(
      () => `${name}\n${child.exitCode === null ? 'runs' : `ended with ${String(child.exitCode)}`}: ${words}`,
    );
    return child;
  }
}
