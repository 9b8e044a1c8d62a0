import { Document } from 'yaml';
import { textOf, utf8 } from '../../bytes';
import { callInAddress } from '../../net/call-in';
import { homeFile } from '../home-files';
import { markText } from '../mark-text';
import { isWith, isWithout, type SystemFacts } from '../../system/facts';
import { canHaveLocale } from '../lacks';
import { OWN_SERVICE_PATH, ownService } from '../own-service';
import type { BaseFiles, CardFile, FirstBootSettings, NetworkSettings } from '../settings';
import { rootRights } from '../user-rights';
import { yamlManner, yamlText } from '../yaml-text';

/**
 * cloud-init's NoCloud data source: `user-data`, `meta-data` and `network-config` on the boot partition.
 * Sources: cloud-init documentation, "NoCloud" and the module reference; netplan YAML reference.
 */

/** The board's reader follows YAML 1.1, where `no`, `on` and `012` mean something else (YAML 1.1 types). */
const yaml = (value: unknown): string => yamlText(new Document(value, yamlManner));

/** Path of the file on the running system that names the mark. */
const MARK_ON_BOARD = '/etc/nest-mark.json';

/** Rules of sudoers(5) by what a user may do. */
const sudoers = { ask: 'ALL=(ALL:ALL) ALL', free: 'ALL=(ALL:ALL) NOPASSWD:ALL', none: null };

/**
 * Debian's locale-gen makes what /etc/locale.gen lists and nothing else, whatever name it is given; without the line the
 * locale is refused, and with it the whole boot is told as failed (locale-gen(8); cloud-init, module "locale").
 */
const localeListed = (locale: string): object[] =>
  /^(C|POSIX)/.test(locale)
    ? []
    : [{ path: '/etc/locale.gen', append: true, content: `\n${locale} UTF-8\n` }];

function userData(settings: FirstBootSettings, system: SystemFacts | null): string {
  // What fails on the board makes its whole boot a failed one; what cannot come true there is left out, and told before.
  const keyboard = isWithout(system, 'consoleSetup') ? null : settings.keyboard;
  const locale = canHaveLocale(system, settings.locale) ? settings.locale : null;
  const shell = isWithout(system, 'bash') ? '/bin/sh' : '/bin/bash';
  const { user, hostKey, packages, refresh, commands, callIn, mark } = settings;
  const rule = sudoers[rootRights(user)];
  const account = {
    name: user.name,
    groups: ['adm', ...(rule === null ? [] : ['sudo']), ...user.groups],
    shell,
    ...(rule === null ? {} : { sudo: rule }),
    lock_passwd: user.passwordHash === null,
    // Unlike `passwd`, this is also applied when the image has an account of that name already.
    ...(user.passwordHash === null ? {} : { hashed_passwd: user.passwordHash }),
    // An empty list is against the schema.
    ...(user.keys.length > 0 ? { ssh_authorized_keys: [...user.keys] } : {}),
  };
  const names = [user.name, ...settings.others.map(({ name }) => name)];
  const files = settings.files
    .filter(({ place }) => place === 'board')
    .map((file) => ({ ...file, home: homeFile(file.path, names) }));
  // Folders that are made on the way belong to root otherwise (cloud-init 22.4, util.ensure_dir).
  const owned = files.flatMap(({ path, home }) =>
    home ? [['chown', '-h', `${home.user}:`, ...home.folders, path]] : [],
  );
  // One of the two is the name of the service on this image.
  const login =
    system?.abilities.ssh?.on === false
      ? [['sh', '-c', 'systemctl enable --now ssh || systemctl enable --now sshd']]
      : [];
  const data = {
    hostname: settings.hostName,
    preserve_hostname: false,
    manage_etc_hosts: true,
    timezone: settings.timeZone,
    // The image's own stays where the module reads this word (cloud-init, module "locale").
    locale: locale ?? 'false',
    ...(keyboard
      ? { keyboard: { layout: keyboard.layout, ...(keyboard.variant ? { variant: keyboard.variant } : {}) } }
      : {}),
    // Only these users: images' default accounts are left out.
    users: [
      account,
      ...settings.others.map(({ name, keys, sudo }) => ({
        name,
        shell,
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
      ...(isWith(system, 'avahi')
        ? [{ path: OWN_SERVICE_PATH, permissions: '0644', content: ownService(mark) }]
        : []),
      ...(locale === null ? [] : localeListed(locale)),
      ...files.map(({ path, mode, content, home }) => ({
        path,
        permissions: mode,
        // Written before the user exists, it would make the home itself, root's and without its usual files.
        ...(home ? { owner: home.user, defer: true } : {}),
        content,
      })),
    ],
    ...(owned.length + login.length + commands.length > 0
      ? { runcmd: [...owned, ...login, ...commands] }
      : {}),
    // Without a number of tries it makes ten, and logs an error (seen); each failed one holds the boot up for 3 s.
    ...(callIn === null
      ? {}
      : { phone_home: { url: callInAddress(callIn, mark), post: ['instance_id', 'hostname'], tries: 5 } }),
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
    // Not `default`: cloud-init itself, where it does not hand the file to netplan, takes that for no address.
    ...(gateway ? { routes: [{ to: gateway.includes(':') ? '::/0' : '0.0.0.0/0', via: gateway }] } : {}),
    ...(nameServers.length > 0 ? { nameservers: { addresses: [...nameServers] } } : {}),
  };
}

/**
 * NetworkManager is named where the image starts it anyway: it alone heeds the order of networks. Elsewhere who acts is
 * left to the image.
 */
const rendererOf = (system: SystemFacts | null): object =>
  system && isWith(system, 'netplan') && system.abilities.networkManager?.on === true
    ? { renderer: 'NetworkManager' }
    : {};

function networkConfig({ networks, country, wired }: FirstBootSettings, system: SystemFacts | null): string {
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
      ...rendererOf(system),
      ethernets: {
        wired: { match: { name: 'e*' }, ...(wired ? fixedAddress(wired) : { dhcp4: true }), optional: true },
      },
      ...(networks.length > 0 ? { wifis } : {}),
    },
  });
}

/** The files of this method for one card. */
export function writeSeed(settings: FirstBootSettings, { system }: BaseFiles): CardFile[] {
  return [
    {
      path: 'meta-data',
      content: utf8(yaml({ 'instance-id': settings.instanceId, 'local-hostname': settings.hostName })),
    },
    { path: 'user-data', content: utf8(userData(settings, system)) },
    { path: 'network-config', content: utf8(networkConfig(settings, system)) },
  ];
}
