import { stringify } from 'yaml';
import { textOf, utf8 } from '../bytes';
import { allBut } from './carried';
import { markText } from './mark-text';
import type { CardFile, FirstBootMethod, FirstBootSettings, NetworkSettings } from './method';
import { rootRights } from './user-rights';

/**
 * cloud-init's NoCloud data source: `user-data`, `meta-data` and `network-config` on the boot partition.
 * Sources: cloud-init documentation, "NoCloud" and the module reference; netplan YAML reference.
 */

/** The board's reader follows YAML 1.1, where `no`, `on` and `012` mean something else (YAML 1.1 types). */
const yaml = (value: unknown): string => stringify(value, { version: '1.1', lineWidth: 0 });

/** Path of the file on the running system that names the mark. */
const MARK_ON_BOARD = '/etc/nest-mark.json';

/** Rules of sudoers(5) by what a user may do. */
const sudoers = { ask: 'ALL=(ALL:ALL) ALL', free: 'ALL=(ALL:ALL) NOPASSWD:ALL', none: null };

function userData(settings: FirstBootSettings): string {
  const { user, hostKey, keyboard, packages, refresh, commands } = settings;
  const rule = sudoers[rootRights(user)];
  const account = {
    name: user.name,
    groups: ['adm', ...(rule === null ? [] : ['sudo']), ...user.groups],
    shell: '/bin/bash',
    ...(rule === null ? {} : { sudo: rule }),
    lock_passwd: user.passwordHash === null,
    // Unlike `passwd`, this is also applied when the image has an account of that name already.
    ...(user.passwordHash === null ? {} : { hashed_passwd: user.passwordHash }),
    // An empty list is against the schema.
    ...(user.keys.length > 0 ? { ssh_authorized_keys: [...user.keys] } : {}),
  };
  const data = {
    hostname: settings.hostName,
    preserve_hostname: false,
    manage_etc_hosts: true,
    timezone: settings.timeZone,
    locale: settings.locale,
    ...(keyboard
      ? { keyboard: { layout: keyboard.layout, ...(keyboard.variant ? { variant: keyboard.variant } : {}) } }
      : {}),
    // Only these users: images' default accounts are left out.
    users: [
      account,
      ...settings.others.map(({ name, keys, sudo }) => ({
        name,
        shell: '/bin/bash',
        lock_passwd: true,
        ...(sudo ? { groups: ['sudo'], sudo: 'ALL=(ALL:ALL) NOPASSWD:ALL' } : {}),
        ...(keys.length > 0 ? { ssh_authorized_keys: [...keys] } : {}),
      })),
    ],
    ssh_pwauth: user.passwordLogin && user.passwordHash !== null,
    disable_root: true,
    ssh_deletekeys: true,
    ssh_keys: { ed25519_private: hostKey.privateText, ed25519_public: hostKey.publicLine },
    ...(refresh === 'nothing' && packages.length === 0 ? {} : { package_update: true }),
    ...(refresh === 'upgrade' ? { package_upgrade: true } : {}),
    ...(packages.length > 0 ? { packages: [...packages] } : {}),
    write_files: [
      { path: MARK_ON_BOARD, permissions: '0644', content: markText(settings) },
      ...settings.files
        .filter(({ place }) => place === 'board')
        .map(({ path, mode, content }) => ({ path, permissions: mode, content })),
    ],
    ...(commands.length > 0 ? { runcmd: [...commands] } : {}),
  };
  return `#cloud-config\n${yaml(data)}`;
}

function accessPoint({ security, key, hidden, priority }: NetworkSettings): object {
  const auth =
    security === 'open'
      ? {}
      : security === 'wpa3-sae'
        ? { auth: { 'key-management': 'sae', password: key } }
        : { password: key };
  return {
    ...auth,
    ...(hidden ? { hidden: true } : {}),
    // Heeded where NetworkManager is at work; the other renderer has no priorities and skips this.
    networkmanager: { passthrough: { 'connection.autoconnect-priority': String(priority) } },
  };
}

function fixedAddress({ address, gateway, nameServers }: NonNullable<FirstBootSettings['wired']>): object {
  return {
    dhcp4: false,
    addresses: [address],
    ...(gateway ? { routes: [{ to: 'default', via: gateway }] } : {}),
    ...(nameServers.length > 0 ? { nameservers: { addresses: [...nameServers] } } : {}),
  };
}

function networkConfig({ networks, country, wired }: FirstBootSettings): string {
  const wifis = {
    wlan0: {
      dhcp4: true,
      // An absent radio must not hold the boot up.
      optional: true,
      'regulatory-domain': country,
      'access-points': Object.fromEntries(
        [...networks]
          .sort((a, b) => b.priority - a.priority)
          .map((network) => [textOf(network.ssid), accessPoint(network)]),
      ),
    },
  };
  return yaml({
    network: {
      version: 2,
      ethernets: {
        wired: { match: { name: 'e*' }, ...(wired ? fixedAddress(wired) : { dhcp4: true }), optional: true },
      },
      ...(networks.length > 0 ? { wifis } : {}),
    },
  });
}

export const declarativeSeed: FirstBootMethod = {
  id: 'declarative-seed',
  title: 'Declarative seed (user-data, meta-data, network-config)',

  // netplan knows neither WEP nor names outside UTF-8.
  carries: allBut('wep', 'octets'),

  async detect({ boot }) {
    const names = new Set((await boot.list()).map((entry) => entry.name.toLowerCase()));
    if (boot.geometry.label.toUpperCase() === 'CIDATA') return 'The boot partition is labelled CIDATA.';
    return names.has('user-data') && names.has('meta-data')
      ? 'The boot partition holds user-data and meta-data.'
      : null;
  },

  files(settings): CardFile[] {
    return [
      {
        path: 'meta-data',
        content: utf8(yaml({ 'instance-id': settings.instanceId, 'local-hostname': settings.hostName })),
      },
      { path: 'user-data', content: utf8(userData(settings)) },
      { path: 'network-config', content: utf8(networkConfig(settings)) },
    ];
  },
};
