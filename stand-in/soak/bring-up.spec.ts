import { execFileSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { once } from 'node:events';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import {
  BENCH_KEY_NAME,
  benchKeyLine,
  boardConfig,
  cardFilesOf,
  emptyPlan,
  makeHostKey,
  plainExtras,
  preSharedKey,
  utf8,
  type BaseFiles,
  type Device,
  type FirstBootSettings,
  type Plan,
  type ShelvedNetwork,
  type VpnBoard,
  type VpnMember,
} from '@nest-mark/core';
import { expectedOf, noVpn, stepsOf, type ExpectedVpn } from '@nest-mark/core/bring-up';
import {
  bringUpBoard,
  moveBoard,
  Shell,
  usualPatience,
  type BoardEnd,
  type BoardMoved,
  type Login,
  type ShellPlace,
  type StepMemory,
  type StepNote,
} from '@nest-mark/station';
import { Client } from 'ssh2';
import { tunnelKeys } from '../../core/test/helpers/tunnel-keys';
import { StartedDebian, type Powered } from './debian';
import { givePackages } from './packages';

/**
 * A whole Debian, of its packages: systemd, cloud-init, OpenSSH, sudo, apt, dpkg. Its card is written, it is started,
 * and brought up over its own login service until it shuts itself down; another one moves to another network. Needs root and a mirror of Debian's packages.
 */

const draw = (comment: string): ReturnType<typeof makeHostKey> =>
  makeHostKey(randomBytes(32), randomBytes(4), comment);
const userKey = draw('mara@bench');
const benchKey = draw(BENCH_KEY_NAME);
const host = draw('7KQ4M');
const networkId = '00000000-0000-4000-8000-0000000000aa';
const shelved = {
  id: networkId,
  version: 1,
  title: 'Bench',
  ssid: 'Saltmarsh Bench',
  ssidForm: 'text',
  security: 'wpa2-psk',
  hidden: false,
  secret: { state: 'kept', faults: [] },
} as unknown as ShelvedNetwork;

const device: Device = {
  id: '00000000-0000-4000-8000-000000000001',
  nest: 'A1',
  mark: '7KQ4M',
  hostName: 'tank-01',
  role: '',
  notes: '',
  overrides: {},
};
const blank = emptyPlan('Tanks');
const plan: Plan = {
  ...blank,
  access: { ...blank.access, userName: 'keeper', keys: userKey.publicLine },
  extras: { ...blank.extras, sudo: 'free' },
  timeZone: 'Europe/Copenhagen',
  locale: 'en_GB.UTF-8',
  country: 'DK',
  networks: [{ networkId, priority: 0 }],
  devices: [device],
};
/** The tunnel that is planned; null for none. */
let tunnel: VpnBoard | null = null;
/** Whether the bench's key on the card may lend the board a port. */
let lends = false;
const settings = (): FirstBootSettings => ({
  ...plainExtras,
  mark: device.mark,
  nest: device.nest,
  deviceId: device.id,
  batchId: '00000000-0000-4000-8000-0000000000cc',
  batchName: 'Tanks',
  hostName: device.hostName,
  user: {
    name: 'keeper',
    keys: [userKey.publicLine, benchKeyLine(benchKey.publicLine, lends)],
    passwordHash: null,
    passwordLogin: false,
    sudo: 'free',
    groups: [],
  },
  hostKey: host,
  others: [],
  networks: [
    {
      ssid: utf8('Saltmarsh Bench'),
      security: 'wpa2-psk',
      key: preSharedKey('Saltmarsh Bench', 'low tide at seven'),
      hidden: false,
      priority: 10,
    },
  ],
  country: 'DK',
  timeZone: 'Europe/Copenhagen',
  locale: 'en_GB.UTF-8',
  wired: null,
  instanceId: '00000000-0000-4000-8000-0000000000dd',
});

/** Whether a login by the bench's key can reach a port of the board's loopback (ssh -L). */
const reaches = (place: ShellPlace, port: number): Promise<boolean> =>
  new Promise((resolve, reject) => {
    const client = new Client();
    client.on('error', reject).on('ready', () => {
      client.forwardOut('127.0.0.1', 0, '127.0.0.1', port, (error) => {
        client.end();
        resolve(error === undefined);
      });
    });
    client.connect({
      host: place.address,
      port: place.port,
      username: 'keeper',
      privateKey: benchKey.privateText,
    });
  });

/** A Debian whose card says what is planned, with packages that are older than its repository. */
function prepared(): StartedDebian {
  const debian = new StartedDebian();
  debian.write('/var/lib/cloud/seed/.keep', '');
  // There is no interface here that could come up; it would wait two minutes for one.
  debian.mask('systemd-networkd-wait-online.service');
  // It renames a radio's rules where there is none, and fails.
  debian.mask('netplan-regdom.service');
  const base: BaseFiles = {
    texts: new Map([['cmdline.txt', 'quiet\n']]),
    mountedAt: debian.mountedAt,
    system: null,
  };
  // Its control groups are of the old kind, and users' managers do not end in them by themselves.
  debian.write('/etc/systemd/system.conf.d/stop.conf', '[Manager]\nDefaultTimeoutStopSec=5s\n');
  debian.putCard(cardFilesOf('declarative-seed', settings(), base));
  execFileSync('ln', ['-sfn', debian.mountedAt, `${debian.root}/var/lib/cloud/seed/nocloud`]);
  givePackages(debian, tunnel !== null);
  return debian;
}

interface Brought {
  end: BoardEnd;
  steps: Record<string, StepNote>;
  output: string;
}

const benchLogin: Login = {
  user: 'keeper',
  key: benchKey.privateText,
  agent: null,
  password: null,
  byPassword: false,
};

const memberOf = ({ privateKey: _, ...member }: VpnBoard): VpnMember => member;

interface Wishes {
  without?: string[];
  skipped?: ReadonlyMap<string, string>;
  packagePort?: number;
}

async function bring(
  powered: Powered,
  { without = [], skipped = new Map<string, string>(), packagePort }: Wishes,
): Promise<Brought> {
  const memory = new Map<string, StepMemory>();
  const steps: Record<string, StepNote> = {};
  let output = '';
  const planned: ExpectedVpn = tunnel ? { member: memberOf(tunnel), lacks: '' } : noVpn;
  const end = await bringUpBoard({
    steps: stepsOf({ without, own: [] }),
    expected: expectedOf(plan, device, [shelved], benchKey.publicLine, planned),
    login: benchLogin,
    benchKey: benchKey.privateText,
    vpnFile: tunnel && boardConfig(tunnel),
    packagePort: packagePort ?? null,
    skipped,
    place: () => Promise.resolve({ address: '127.0.0.1', port: powered.port, hostKey: host.publicLine }),
    seek: () => Promise.resolve(),
    note: (stepId, note) => {
      steps[stepId] = note;
      return Promise.resolve();
    },
    recall: (stepId) => Promise.resolve(memory.get(stepId) ?? null),
    remember: (stepId, kept) => {
      memory.set(stepId, kept);
      return Promise.resolve();
    },
    told: (text) => {
      output += text;
    },
    job: () => undefined,
    signal: new AbortController().signal,
    patience: { ...usualPatience, quiet: 1 },
  });
  return { end, steps, output };
}

/** A container has no card of its own that its root could fill. */
const noCard = new Map([['root-grown', 'there is no card in a container']]);

describe('a Debian that is brought up', () => {
  let debian: StartedDebian;
  let powered: Powered;
  const on = async (): Promise<void> => {
    debian = prepared();
    powered = await debian.power();
  };
  afterEach(async () => {
    tunnel = null;
    powered.close();
    await debian.end();
  });
  const installed = (): string =>
    debian.read('/var/lib/dpkg/status')?.replace(/\n(?!Package|Version|Status|\n)[^\n]*/g, '') ?? '';
  const keys = (): string => debian.read('/home/keeper/.ssh/authorized_keys') ?? '';

  it('is upgraded from a local repository, rebooted, checked, its bench key taken off, and shut down', async () => {
    await on();
    const { end, steps, output } = await bring(powered, { skipped: noCard });
    expect({
      end,
      steps: Object.fromEntries(Object.entries(steps).map(([id, { state }]) => [id, state])),
    }).toEqual({
      end: { state: 'ready', message: '' },
      steps: {
        'first-boot': 'well',
        'root-grown': 'skipped',
        clock: 'well',
        'as-planned': 'well',
        health: 'well',
        'screen-set-up': 'well',
        'remote-screen': 'well',
        updates: 'done',
        leftovers: 'done',
        vpn: 'well',
        'boot-lines': 'well',
        reboot: 'done',
        'key-off': 'done',
        'shut-down': 'done',
      },
    });
    expect(steps['updates']?.text).toMatch(/^2 packages upgraded \(marsh-kernel 2\.0, tide-tables 2\.0\)/);
    // What a person changed is kept, and what the package brings lies beside it.
    expect(steps['updates']?.findings.map(({ text }) => text)).toEqual([
      expect.stringContaining('/etc/tide-tables.conf'),
    ]);
    expect(debian.read('/etc/tide-tables.conf')).toBe('depth=7, by hand\n');
    expect(output).toContain('Setting up marsh-kernel (2.0)');
    expect(installed()).toMatch(/Package: marsh-kernel\nStatus: install ok installed\nVersion: 2\.0/);
    expect(installed()).not.toMatch(/Package: old-reed\nStatus: install ok installed/);
    expect(keys()).toContain(userKey.publicLine);
    expect(keys()).not.toContain(benchKey.publicLine);
    // It really restarted once, and really went off (reboot(2)).
    expect(powered.ends).toEqual(['restart', 'off']);
  }, 900_000);

  it('gets its packages through the bench, by a key that may lend it a port and nothing else', async () => {
    lends = true;
    await on();
    const asked: string[] = [];
    const repository = createServer((request, response) => {
      asked.push(request.url ?? '');
      const path = new URL(request.url ?? '').pathname;
      const file = debian.readOctets(`/srv/repository${path}`);
      response.writeHead(file ? 200 : 404, { 'content-length': file?.length ?? 0 }).end(file ?? undefined);
    });
    repository.listen(0, '127.0.0.1');
    await once(repository, 'listening');
    debian.write('/etc/apt/sources.list', 'deb [trusted=yes] http://packages.invalid/ ./\n');
    try {
      const { end, steps } = await bring(powered, {
        without: ['reboot', 'key-off', 'shut-down'],
        skipped: noCard,
        packagePort: (repository.address() as AddressInfo).port,
      });
      expect([end, steps['updates']?.text]).toEqual([
        { state: 'ready', message: '' },
        expect.stringMatching(/^2 packages upgraded/),
      ]);
      expect(asked).toContain('http://packages.invalid/./tide-tables_2.0_all.deb');
      // OpenSSH lets that key reach nothing from the board.
      const place = { address: '127.0.0.1', port: powered.port, hostKey: host.publicLine };
      expect(await reaches(place, 22)).toBe(false);
      // It may have no terminal of OpenSSH's either; the board's own script(1) makes one, of the size that was asked for.
      const shell = await Shell.open(place, benchLogin);
      const terminal = await shell.terminal({ columns: 97, rows: 31 });
      let shown = '';
      const ended = new Promise<void>((resolve) =>
        terminal.listen((data) => (shown += data.toString('utf8')), resolve),
      );
      terminal.write(Buffer.from('stty size; tty; exit\r'));
      await ended;
      shell.close();
      expect(shown).toMatch(/31 97\r\n\/dev\/pts\/\d+/);
    } finally {
      repository.closeAllConnections();
      repository.close();
    }
  }, 900_000);

  it('opens the planned tunnel by its distribution’s own programs, and again by itself after a restart', async () => {
    const { privateKey, publicKey } = tunnelKeys();
    tunnel = {
      privateKey,
      publicKey,
      address: '10.86.40.7',
      hubKey: tunnelKeys().publicKey,
      hub: '127.0.0.9',
      port: 51_820,
      network: '10.86.40.0/24',
      keepAlive: 25,
    };
    await on();
    const without = ['updates', 'leftovers', 'key-off', 'shut-down'];
    const first = await bring(powered, { without: [...without, 'reboot'], skipped: noCard });
    expect([first.end, first.steps['vpn']?.state, first.steps['vpn']?.text]).toEqual([
      { state: 'ready', message: '' },
      'done',
      'It opens the VPN as 10.86.40.7.',
    ]);
    expect(first.output).toContain('Setting up wireguard-tools');
    expect(first.output).not.toContain(privateKey);
    expect(debian.inside('wg', 'show', 'nest-mark', 'public-key')?.trim()).toBe(publicKey);
    expect(debian.inside('ip', '-br', 'address', 'show', 'nest-mark')).toContain('10.86.40.7/24');
    const started = debian.inside('cat', '/proc/sys/kernel/random/boot_id');
    debian.inside('touch', '/run/reboot-required');
    const again = await bring(powered, { without, skipped: noCard });
    expect([again.end.state, again.steps['reboot']?.state]).toEqual(['ready', 'done']);
    const after = await bring(powered, { without, skipped: noCard });
    expect(debian.inside('cat', '/proc/sys/kernel/random/boot_id')).not.toBe(started);
    expect(after.steps['vpn']).toMatchObject({ state: 'well', text: 'It opens the VPN as 10.86.40.7.' });
    expect(debian.inside('wg', 'show', 'nest-mark', 'public-key')?.trim()).toBe(publicKey);
  }, 900_000);
});

/**
 * The network's own program is a stand-in here, since a container has no radio; which profile is active lies in /run, so
 * that a start is on the old one. What is tried is the board's real systemd: its timers, and what a restart leaves.
 */
const nmcli = `#!/bin/sh
on=/run/active
[ -f "$on" ] || echo 626dd384-8b3d-3690-9511-192b2c79b3fd >"$on"
new=$(sed -n 's/^uuid=//p' /etc/NetworkManager/system-connections/nest-mark-*.nmconnection 2>/dev/null)
case $* in
    *'connection up uuid '*) for last; do :; done; echo "$last" >"$on" ;;
    *'connection delete'*) rm -f /etc/NetworkManager/system-connections/nest-mark-*.nmconnection ;;
    *'UUID,TYPE,DEVICE connection show --active'*) echo "$(cat "$on"):802-11-wireless:wlan0" ;;
    *'UUID connection show --active'*) cat "$on" ;;
    *'UUID connection show'*) echo 626dd384-8b3d-3690-9511-192b2c79b3fd; echo "$new" ;;
    *'connection.autoconnect connection show'*) echo yes ;;
esac
`;
const systemctl = `#!/bin/sh
case $* in 'is-active NetworkManager') echo active ;; *) exec /usr/bin/systemctl "$@" ;; esac
`;

describe('a Debian that moves', () => {
  let debian: StartedDebian;
  let powered: Powered;
  const moveId = '5b0e2c1a-8a0f-4f0e-9a36-2f1d7c3b9e10';
  beforeEach(async () => {
    debian = prepared();
    for (const [name, content] of Object.entries({ nmcli, systemctl })) {
      debian.write(`/usr/local/bin/${name}`, content);
      debian.prepare('chmod', '755', `/usr/local/bin/${name}`);
    }
    powered = await debian.power();
    await debian.startOver();
  }, 600_000);
  afterEach(async () => {
    powered.close();
    await debian.end();
  });
  const active = (): string => debian.inside('cat', '/run/active')?.trim() ?? '';
  const state = (): string => debian.read('/var/lib/nest-mark/move/state')?.trim() ?? '';
  const timers = (): string => debian.inside('systemctl', 'list-timers', '--all', 'nest-mark-*') ?? '';
  const move = (
    reached: boolean,
    returnSeconds: number,
    signal?: AbortSignal,
    look = (): void => undefined,
  ): Promise<BoardMoved> =>
    moveBoard({
      login: benchLogin,
      secrets: [],
      network: {
        moveId,
        uuid: moveId,
        ssidHex: '61',
        hidden: false,
        security: 'wpa2-psk',
        key: 'ab'.repeat(32),
        keyfile: `[connection]\nid=move\nuuid=${moveId}\ntype=wifi\nautoconnect=false\n`,
      },
      priority: 25,
      returnSeconds,
      trialSeconds: 60,
      now: true,
      isNew: () => reached && active() === moveId,
      place: () => Promise.resolve({ address: '127.0.0.1', port: powered.port, hostKey: host.publicLine }),
      seek: () => Promise.resolve(),
      seekNew: () => {
        look();
        return Promise.resolve();
      },
      note: () => Promise.resolve(),
      told: () => undefined,
      signal: signal ?? new AbortController().signal,
      patience: { ...usualPatience, look: 0.5 },
    });

  it('is kept once it was proved, and no timer is left', async () => {
    expect(await move(true, 600)).toMatchObject({ state: 'moved' });
    expect([active(), state()]).toEqual([moveId, `${moveId} kept`]);
    expect(timers()).toContain('0 timers listed');
  }, 900_000);

  it('goes back by its own timer where nobody proves it; without the accuracy asked for it could be a minute late', async () => {
    const accuracy = new Set<string>();
    const look = (): void => {
      accuracy.add(debian.inside('systemctl', 'show', '-p', 'AccuracyUSec', 'nest-mark-return.timer') ?? '');
    };
    expect(await move(false, 15, undefined, look)).toMatchObject({ state: 'came-back' });
    expect([...accuracy][0]).toBe('AccuracyUSec=1s\n');
    expect([active(), state()]).toEqual(['626dd384-8b3d-3690-9511-192b2c79b3fd', `${moveId} returned`]);
  }, 900_000);

  it('is on the old network after a restart in the middle, where its timer is gone, and is moved anew', async () => {
    const stop = new AbortController();
    const moving = move(false, 600, stop.signal);
    await debian.until(() => active() === moveId, 'the switch');
    stop.abort();
    expect(await moving).toMatchObject({ state: 'stopped' });
    debian.inside('systemctl', 'reboot');
    await debian.until(() => powered.ends.includes('restart'), 'the restart');
    await debian.startOver();
    expect(state()).toBe(`${moveId} gone`);
    expect(timers()).toContain('0 timers listed');
    expect(await move(true, 600)).toMatchObject({ state: 'moved' });
    expect(state()).toBe(`${moveId} kept`);
  }, 900_000);
});
