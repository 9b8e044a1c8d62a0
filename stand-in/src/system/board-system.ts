import { randomUUID } from 'node:crypto';
import { existsSync, realpathSync } from 'node:fs';
import { mkdir, readFile, rename } from 'node:fs/promises';
import { join } from 'node:path';
import { PROFILES, readProfile, type SavedNetwork } from '../board/keyfile';
import { readInside } from '../board/read-inside';
import {
  freshRoot,
  KeptRoot,
  removeRoot,
  runInside,
  startInside,
  type BootFile,
  type Inside,
  type InsideChild,
  type InsideEars,
} from '../board/sandbox';
import type { BoardSettings } from '../board/settings';
import { packageFiles } from './packages';
import { LOCAL, programs, seedPrograms } from './programs';

/** What a board starts from. */
export interface FirstBoot {
  /** Where its system has the boot partition. */
  mountedAt: string;
  files: readonly BootFile[];
  /** Path of a script that is run once; null where settings are taken otherwise. */
  script: string | null;
  settings: BoardSettings;
  /** Octets of its card. */
  cardSize: number;
}

/** A thing that happens to a board, asked for by a program on it. */
type Order =
  | { do: 'reboot' }
  | { do: 'poweroff' }
  | { do: 'join'; uuid: string }
  | { do: 'unit'; name: string; words: string[] }
  | { do: 'timer'; name: string; seconds: number; nonce: string; words: string[] };

/** What of it concerns more than its system. */
export type BoardOrder = 'reboot' | 'poweroff' | { join: string };

const readOrder = (line: string): Order | null => {
  if (line === 'reboot' || line === 'poweroff') return { do: line };
  const [verb = '', name = '', ...rest] = line.split(' ');
  if (!/^[A-Za-z0-9_.-]{1,60}$/.test(name)) return null;
  if (verb === 'join') return { do: 'join', uuid: name };
  const plain = (words: readonly string[]): boolean =>
    words.length > 0 && words.every((word) => /^[A-Za-z0-9_./-]{1,200}$/.test(word));
  if (verb === 'unit' && plain(rest)) return { do: 'unit', name, words: rest };
  const [seconds = '', nonce = '', ...words] = rest;
  return verb === 'timer' && /^\d{1,6}$/.test(seconds) && plain([nonce]) && plain(words)
    ? { do: 'timer', name, seconds: Number(seconds), nonce, words }
    : null;
};

/** What a first boot sets up where no script does; run inside, with values as arguments and never as shell. */
const takesOver = `
put() { mkdir -p "$(dirname "$1")" && printf %s "$2" >"$1"; }
while [ $# -gt 0 ]; do
    verb=$1
    shift
    case $verb in
        user)
            id "$1" >/dev/null 2>&1 || useradd -m -s /bin/bash "$1"
            usermod -p "$2" "$1"
            home=$(getent passwd "$1" | cut -d: -f6)
            case $3 in
                free) echo "$1 ALL=(ALL:ALL) NOPASSWD: ALL" >"/etc/sudoers.d/nest-$1" ;;
                ask) echo "$1 ALL=(ALL:ALL) ALL" >"/etc/sudoers.d/nest-$1" ;;
            esac
            mkdir -p "$home/.ssh" && chmod 700 "$home/.ssh"
            printf %s "$4" >"$home/.ssh/authorized_keys"
            chmod 600 "$home/.ssh/authorized_keys"
            chown -R "$1:" "$home/.ssh"
            shift 4 ;;
        file) put "$1" "$2"; shift 2 ;;
        secret) put "$1" "$2"; chmod 600 "$1"; shift 2 ;;
        instance) rm -f /etc/NetworkManager/system-connections/practice-*; put /board/instance "$1"; put /board/country "$2"; shift 2 ;;
        zone) ln -sfn "/usr/share/zoneinfo/$1" /etc/localtime; shift ;;
    esac
done
`;

/** A network's file; the name in octets, so that any name can stand there (nm-settings-keyfile(5)). */
const keyfile = (network: BoardSettings['radio']['networks'][number], index: number): string =>
  `[connection]
id=practice-${String(index + 1)}
uuid=${randomUUID()}
type=wifi
autoconnect-priority=${String(network.priority)}

[wifi]
ssid=${[...Buffer.from(network.ssid)].map((octet) => `${String(octet)};`).join('')}
hidden=${String(network.hidden)}
${network.password === null ? '' : `\n[wifi-security]\nkey-mgmt=wpa-psk\npsk=${network.password.replaceAll('\\', '\\\\')}\n`}`;

function firstBootWords({ settings }: FirstBoot): string[] {
  const { region, radio } = settings;
  return [
    // Networks of an instance before are its own no more.
    ...['instance', settings.instanceId ?? '', `${radio.country ?? '00'}\n`],
    ...['file', '/etc/hostname', `${settings.hostName}\n`],
    ...settings.users.flatMap(({ name, keys, hash, sudo = 'none' }) => [
      'user',
      name,
      hash ?? '!',
      sudo,
      keys.map((key) => `${key.trim()}\n`).join(''),
    ]),
    ...[
      'file',
      '/etc/ssh/sshd_config.d/50-cloud-init.conf',
      `PasswordAuthentication ${settings.passwordLogin ? 'yes' : 'no'}\n`,
    ],
    ...(region.timeZone === '' ? [] : ['zone', region.timeZone]),
    ...(region.locale === '' ? [] : ['file', '/etc/default/locale', `LANG=${region.locale}\n`]),
    ...(region.keyboard
      ? [
          'file',
          '/etc/default/keyboard',
          `XKBLAYOUT="${region.keyboard.layout}"\nXKBVARIANT="${region.keyboard.variant}"\n`,
        ]
      : []),
    ...settings.files.flatMap(({ path, content, open }) =>
      path.startsWith('/') && content.length < 100_000 ? [open ? 'file' : 'secret', path, content] : [],
    ),
    ...radio.networks.flatMap((network, index) => [
      'secret',
      `/etc/NetworkManager/system-connections/practice-${String(index + 1)}.nmconnection`,
      keyfile(network, index),
    ]),
  ];
}

// A board's clock of starts, its running name, and nothing of what ran before.
const startsUp = `
find /run -mindepth 1 -delete
mkdir -p /run/board/units /proc/sys/kernel/random /sys/class/thermal/thermal_zone0
echo "$1" >/proc/sys/kernel/random/boot_id
cat /etc/hostname >/run/board/name
printf %s "$2" >/run/board/ssid
# What the boot lines switch on is there from this start on.
rm -f /dev/i2c-1 /dev/spidev0.0
config=$(cat "$(cat /board/mounted-at)/config.txt" 2>/dev/null)
case $config in *dtparam=i2c_arm=on*) : >/dev/i2c-1 ;; esac
case $config in *dtparam=spi=on*) : >/dev/spidev0.0 ;; esac
sed -i '/^   9: /d' /proc/net/tcp 2>/dev/null
for unit in /etc/systemd/system/multi-user.target.wants/*; do
    [ ! -L "$unit" ] || PATH=/usr/local/bin:$PATH systemctl start "\${unit##*/}"
done
`;

/** Runs a unit; its first word is the file by which it counts as active. */
const RUNS_UNIT = 'unit=$1; shift; "$@"; rm -f "$unit"';
/** Runs one when its time has come, unless it was stopped or set anew. */
const RUNS_TIMER = `unit=$1 timer=$2 nonce=$3
sleep "$4"
shift 4
[ "$(cat "$timer" 2>/dev/null)" = "$nonce" ] || exit 0
rm -f "$timer"
: >"$unit"
"$@"
rm -f "$unit"`;

const facts: Readonly<Record<string, string>> = {
  'card-rate': '41.8\n',
  'seed-status': 'done\n',
  'failed-units': '',
  'kernel.log': 'Booting Linux on physical CPU 0x0\nmmc0: new high speed SDHC card\n',
  signal: '-52\n',
};

/** One board's system in a scratch root: it lasts over reboots, and is made anew for a card that was written anew. */
export class BoardSystem {
  private ready: Promise<void> | null = null;
  private readonly units = new Map<string, InsideChild>();
  /** Octets of the name of the network that it is on, as a keyfile has them. */
  private ssid = '';
  private off = false;
  /** Its namespaces, from its start on. */
  private kept: KeptRoot | null = null;

  /**
   * @param root its folder, which need not be there yet
   * @param firstBoot read when it is made
   * @param ordered told what a program on it asked for
   */
  constructor(
    readonly root: string,
    private readonly firstBoot: () => Promise<FirstBoot>,
    private readonly ordered: (order: BoardOrder) => void,
    /** Which instance its card says that it is; null where it says none. */
    private readonly instanceId: string | null = null,
  ) {}

  /** Whether it has been started once, so that it and not its card says who may log in. */
  get made(): boolean {
    return existsSync(this.root);
  }

  /** Sees to it that the system is there and has started. @throws when it cannot be made */
  up(): Promise<void> {
    this.ready ??= this.startUp().catch((error: unknown) => {
      this.ready = null;
      throw error;
    });
    return this.ready;
  }

  /** Where its programs run. */
  private get inside(): Inside {
    return this.kept ?? this.root;
  }

  /** Starts a program as one of its accounts. */
  async start(user: string, command: string, ears: InsideEars): Promise<InsideChild> {
    await this.up();
    const home = user === 'root' ? '/root' : `/home/${user}`;
    const as =
      user === 'root'
        ? []
        : ['/usr/bin/setpriv', `--reuid=${user}`, `--regid=${user}`, '--init-groups', '--'];
    const path = 'PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin';
    return startInside(
      this.inside,
      [...as, '/usr/bin/env', '-i', path, `HOME=${home}`, `USER=${user}`, '/bin/sh', '-c', `cd; ${command}`],
      { ...ears, onOrder: (line) => this.obey(line) },
    );
  }

  /** What it has saved of networks. */
  async savedNetworks(): Promise<SavedNetwork[]> {
    await this.up();
    const files = await readInside(this.inside, [PROFILES]);
    return files.flatMap(({ path, mode, uid, content }) => {
      const profile =
        path.startsWith(PROFILES) && (mode & 0o077) === 0 && uid === 0
          ? readProfile(content.toString('utf8'))
          : null;
      return profile ? [profile] : [];
    });
  }

  /** It is on a network now. */
  async isOn(ssid: string): Promise<void> {
    this.ssid = [...Buffer.from(ssid)].map((octet) => `${String(octet)};`).join('');
    if (this.kept) await this.does('printf %s "$1" >/run/board/ssid', this.ssid);
  }

  /** Contents of files, an empty text for what is not there. */
  async read(...paths: string[]): Promise<string[]> {
    await this.up();
    const files = await readInside(this.inside, paths);
    return paths.map((path) => files.find((file) => file.path === path)?.content.toString('utf8') ?? '');
  }

  /** Runs a line of shell as root, as what happens to a board by itself. */
  async does(script: string, ...words: string[]): Promise<void> {
    await this.up();
    const child = startInside(this.inside, ['/bin/sh', '-c', script, 'sh', ...words], {
      onOrder: (line) => this.obey(line),
    });
    child.input.end();
    await child.ended;
  }

  /** Ends everything that runs on it, at once. */
  async down(): Promise<void> {
    this.off = true;
    await this.ready?.catch(() => undefined);
    const all = [...this.units.values()];
    for (const unit of all) unit.kill();
    await Promise.all(all.map(({ ended }) => ended));
    await this.kept?.close();
    this.kept = null;
  }

  private obey(line: string): void {
    const order = readOrder(line);
    if (!order || this.off) return;
    if (order.do === 'reboot' || order.do === 'poweroff') {
      this.ordered(order.do);
      return;
    }
    if (order.do === 'join') {
      this.ordered({ join: order.uuid });
      return;
    }
    const file = `/run/board/units/${order.name}.service`;
    // It is a child of the system and not of who asked for it, so it outlives the login.
    const unit = startInside(
      this.inside,
      order.do === 'unit'
        ? ['/bin/sh', '-c', `/usr/local/bin/lent & ${RUNS_UNIT}`, 'sh', file, ...order.words]
        : [
            '/bin/sh',
            '-c',
            RUNS_TIMER,
            'sh',
            file,
            `/run/board/units/${order.name}.timer`,
            order.nonce,
            String(order.seconds),
            ...order.words,
          ],
      { onOrder: (inner) => this.obey(inner) },
    );
    unit.input.end();
    const id = randomUUID();
    this.units.set(id, unit);
    void unit.ended.then(() => this.units.delete(id));
  }

  private async startUp(): Promise<void> {
    if (!this.made) await this.make();
    this.kept = await KeptRoot.open(this.root);
    await this.takeInAgain();
    await runInside(this.kept, ['/bin/sh', '-c', startsUp, 'sh', randomUUID(), this.ssid], 20_000);
  }

  /**
   * Settings on the card that are of another instance are taken in once more, over what is there (cloud-init,
   * "instance-id"); what else is on the card stays.
   */
  private async takeInAgain(): Promise<void> {
    const { instanceId } = this;
    if (instanceId === null) return;
    // Looked at from outside: boards that start together must not get into another order by this.
    const taken = await readFile(join(this.root, 'board/instance'), 'utf8').catch(() => '');
    if (taken === '' || taken === instanceId) return;
    const words = firstBootWords(await this.firstBoot());
    await runInside(this.inside, ['/bin/sh', '-c', takesOver, 'sh', ...words], 20_000);
  }

  /** Made beside its place and then moved there, so that a kill leaves none that is half set up. */
  private async make(): Promise<void> {
    const first = await this.firstBoot();
    const draft = `${this.root}.new`;
    await removeRoot(draft);
    await mkdir(draft, { recursive: true, mode: 0o755 });
    const tools = { ...programs, ...(first.script === null ? seedPrograms : {}) };
    await freshRoot(draft, first.mountedAt, first.files, [
      ...Object.entries(tools).map(([name, content]) => ({
        path: join(LOCAL.slice(1), 'bin', name),
        content,
        mode: 0o755,
      })),
      ...Object.entries(facts).map(([name, content]) => ({ path: `board/${name}`, content })),
      { path: 'board/card-size', content: `${String(first.cardSize)}\n` },
      { path: 'board/root-size', content: `${String(Math.floor(first.cardSize * 0.96))}\n` },
      { path: 'board/root-free', content: `${String(Math.floor(first.cardSize * 0.7))}\n` },
      { path: 'board/mounted-at', content: `${first.mountedAt}\n` },
      { path: 'board/country', content: `${first.settings.radio.country ?? '00'}\n` },
      {
        path: 'proc/net/tcp',
        content:
          '  sl  local_address rem_address   st\n   0: 00000000:0016 00000000:0000 0A 00000000:00000000 00:00000000 00000000 0 0 1 1\n',
      },
      { path: 'proc/cmdline', content: 'console=tty1 rootwait\n' },
      { path: 'proc/meminfo', content: 'MemTotal: 1000000 kB\nMemAvailable:     700000 kB\n' },
      { path: 'sys/class/net/wlan0/wireless/status', content: '0\n' },
      { path: 'sys/class/thermal/thermal_zone0/temp', content: '47200\n' },
      ...(await packageFiles()),
    ]);
    // Whoever started the bench may keep new folders to itself; those of a system are for all of its users.
    const folders =
      'find / -mindepth 1 -maxdepth 4 -type d -not -path "/usr*" -exec chmod 755 {} +; mkdir -p /run /var/tmp /opt /var/log/apt /var/lib/dpkg/updates /var/lib/dpkg/triggers /var/cache/apt/archives/partial /var/lib/apt/lists/partial /etc/apt/preferences.d /etc/apt/sources.list.d; chmod 1777 /tmp /var/tmp; chmod 755 /; mkdir -p /etc/alternatives; ln -sf "$1" /etc/alternatives/awk';
    await runInside(draft, ['/bin/sh', '-c', folders, 'sh', realpathSync('/usr/bin/awk')]);
    if (first.script !== null) await runInside(draft, ['/bin/sh', first.script]);
    else await runInside(draft, ['/bin/sh', '-c', takesOver, 'sh', ...firstBootWords(first)]);
    await rename(draft, this.root);
  }
}
