import { stringify } from 'yaml';
import { MARK_ON_CARD } from '../batch/mark-file';
import { textOf, utf8 } from '../bytes';
import type { CardFile, FirstBootMethod, FirstBootSettings, NetworkSettings } from './method';

/**
 * cloud-init's NoCloud data source: `user-data`, `meta-data` and `network-config` on the boot partition.
 * Sources: cloud-init documentation, "NoCloud" and the module reference; netplan YAML reference.
 */

/** The board's reader follows YAML 1.1, where `no`, `on` and `012` mean something else (YAML 1.1 types). */
const yaml = (value: unknown): string => stringify(value, { version: '1.1', lineWidth: 0 });

const json = (value: unknown): string => `${JSON.stringify(value, null, 2)}\n`;

/** Path of the file on the running system that names the mark. */
const MARK_ON_BOARD = '/etc/nest-mark.json';

function markText(settings: FirstBootSettings): string {
  const { mark, nest, hostName, batchId, batchName, deviceId, instanceId: writing } = settings;
  const hostKey = settings.hostKey.fingerprint;
  return json({ mark, nest, hostName, batchId, batchName, deviceId, writing, hostKey });
}

function userData(settings: FirstBootSettings): string {
  const { user, hostKey } = settings;
  const account = {
    name: user.name,
    groups: ['adm', 'sudo'],
    shell: '/bin/bash',
    // Without a password, sudo could never be answered.
    sudo: user.passwordHash ? 'ALL=(ALL:ALL) ALL' : 'ALL=(ALL:ALL) NOPASSWD:ALL',
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
    write_files: [{ path: MARK_ON_BOARD, permissions: '0644', content: markText(settings) }],
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

function networkConfig({ networks, country }: FirstBootSettings): string {
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
      ethernets: { wired: { match: { name: 'e*' }, dhcp4: true, optional: true } },
      ...(networks.length > 0 ? { wifis } : {}),
    },
  });
}

export const declarativeSeed: FirstBootMethod = {
  id: 'declarative-seed',
  title: 'Declarative seed (user-data, meta-data, network-config)',

  async detect(volume) {
    const names = new Set((await volume.list()).map((entry) => entry.name.toLowerCase()));
    if (volume.geometry.label.toUpperCase() === 'CIDATA') return 'The boot partition is labelled CIDATA.';
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
      { path: MARK_ON_CARD, content: utf8(markText(settings)) },
    ];
  },
};
