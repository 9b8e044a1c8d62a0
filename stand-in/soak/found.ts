import { existsSync, readlinkSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { textOf, type Carried, type FirstBootSettings } from '@nest-mark/core';
import type { StartedDebian } from './debian';

export const lines = (text: string | null): string[] => (text ?? '').split('\n');
const fieldsOf = (text: string | null, first: string): string[] =>
  lines(text)
    .find((line) => line.startsWith(`${first}:`))
    ?.split(':') ?? [];

/** Whether each thing of a plan is found on the system that runs; what was not asked for is left out. */
export function found(debian: StartedDebian, settings: FirstBootSettings): Partial<Record<Carried, boolean>> {
  const { user, others } = settings;
  const passwd = debian.read('/etc/passwd');
  const ownerOf = (path: string): number => statSync(join(debian.root, path)).uid;
  const idOf = (who: string): number => Number(fieldsOf(passwd, who)[2]);
  const keysOf = (who: string): string[] => lines(debian.read(`/home/${who}/.ssh/authorized_keys`));
  const inGroup = (group: string): boolean =>
    (fieldsOf(debian.read('/etc/group'), group)[3] ?? '').split(',').includes(user.name);
  const rights = debian.inside('sudo', '-n', '-l', '-U', user.name) ?? '';
  const login = debian.inside('sshd', '-T') ?? '';
  const result: Partial<Record<Carried, boolean>> = {
    hostName: debian.inside('hostname')?.trim() === settings.hostName,
    user: idOf(user.name) >= 1000 && existsSync(join(debian.root, `/home/${user.name}/.bashrc`)),
    password:
      (fieldsOf(debian.read('/etc/shadow'), user.name)[1] ?? '').replace(/^[!*].*$/, '!') ===
      (user.passwordHash ?? '!'),
    passwordOff: login.includes(
      `passwordauthentication ${user.passwordLogin && user.passwordHash !== null ? 'yes' : 'no'}`,
    ),
    keys:
      user.keys.every((one) => keysOf(user.name).includes(one)) &&
      ownerOf(`/home/${user.name}/.ssh/authorized_keys`) === idOf(user.name),
    others: others.every(({ name: who, keys }) => keys.every((one) => keysOf(who).includes(one))),
    groups: user.groups.every(inGroup),
    sudo:
      user.sudo === 'none'
        ? !/\(ALL/.test(rights)
        : (user.sudo === 'free' || user.passwordHash === null ? /NOPASSWD: ALL/ : /\(ALL : ALL\) ALL/).test(
            rights,
          ),
    hostKey: (debian.inside('ssh-keyscan', '-t', 'ed25519', '127.0.0.1') ?? '').includes(
      settings.hostKey.publicLine.split(' ')[1] ?? '?',
    ),
    timeZone: readlinkSync(join(debian.root, '/etc/localtime')).endsWith(`/zoneinfo/${settings.timeZone}`),
    locale:
      (debian.read('/etc/default/locale') ?? '').includes(`LANG=${settings.locale}`) &&
      lines(debian.inside('locale', '-a')).includes(settings.locale.replace('UTF-8', 'utf8')),
    boardFiles: settings.files.every(({ path, content, mode }) => {
      const facts = statSync(join(debian.root, path), { throwIfNoEntry: false });
      const mine = path.startsWith('/home/') ? idOf(user.name) : 0;
      return (
        debian.read(path) === content &&
        (facts?.mode ?? 0) % 0o1000 === parseInt(mode, 8) &&
        facts?.uid === mine
      );
    }),
    commands: settings.commands.every(
      (command) =>
        !command.includes('/var/lib') ||
        existsSync(join(debian.root, /\/var\/lib\/\S+/.exec(command)?.[0] ?? '')),
    ),
  };
  const { keyboard } = settings;
  // localectl leaves quotes and empty lines out.
  const set = (name: string): string =>
    new RegExp(`^${name}="?([^"\\n]*)"?$`, 'm').exec(debian.read('/etc/default/keyboard') ?? '')?.[1] ?? '';
  if (keyboard)
    result.keyboard = set('XKBLAYOUT') === keyboard.layout && set('XKBVARIANT') === keyboard.variant;
  return {
    ...result,
    ...(debian.inside('nmcli', '-t', 'general') ? byManager(debian, settings) : byNetworkd(debian, settings)),
  };
}

/** What NetworkManager, which runs, knows of the networks. */
function byManager(
  debian: StartedDebian,
  { networks: planned, wired }: FirstBootSettings,
): Partial<Record<Carried, boolean>> {
  const connections = lines(debian.inside('nmcli', '-t', '-f', 'UUID,TYPE', 'connection', 'show')).map(
    (line) => line.split(':'),
  );
  const ask = (uuid: string, field: string): string =>
    (debian.inside('nmcli', '-g', field, 'connection', 'show', uuid) ?? '')
      .replace(/\n$/, '')
      .replace(/\\(.)/g, '$1');
  const wifi = connections.flatMap(([uuid = '', type = '']) =>
    type.includes('wireless')
      ? [
          {
            ssid: ask(uuid, '802-11-wireless.ssid'),
            priority: Number(ask(uuid, 'connection.autoconnect-priority')),
          },
        ]
      : [],
  );
  const wanted = planned.map(({ ssid }) => textOf(ssid));
  const order = [...wifi].sort((a, b) => b.priority - a.priority).map(({ ssid }) => ssid);
  return {
    networks: wanted.every((ssid) => order.includes(ssid)),
    priority: wanted.length < 2 || JSON.stringify(order) === JSON.stringify(wanted),
    wired:
      wired === null ||
      connections.some(
        ([uuid = '', type = '']) =>
          type.includes('ethernet') && ask(uuid, 'ipv4.addresses') === wired.address,
      ),
  };
}

/** What systemd-networkd and wpa_supplicant were given by netplan. */
function byNetworkd(
  debian: StartedDebian,
  { networks: planned, wired }: FirstBootSettings,
): Partial<Record<Carried, boolean>> {
  const supplicant = debian.inside('cat', '/run/netplan/wpa-wlan0.conf') ?? '';
  return {
    networks: planned.every(({ ssid }) => supplicant.includes(`ssid="${textOf(ssid)}"`)),
    // It has no place for an order, which has to be named before.
    priority: planned.length < 2,
    wired:
      wired === null ||
      (debian.inside('sh', '-c', 'cat /run/systemd/network/*.network') ?? '').includes(
        `Address=${wired.address}`,
      ),
  };
}
