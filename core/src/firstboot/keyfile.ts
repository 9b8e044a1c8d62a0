import { textOf } from '../bytes';
import type { FirstBootSettings, NetworkSettings } from './settings';

/**
 * NetworkManager's keyfile: groups of `key=value` lines (nm-settings-keyfile(5)), values escaped as GLib's key files
 * are (GLib, "Key-value file parser": `\s` for a leading space, `\n`, `\t`, `\r`, `\\`).
 */

const escaped = (value: string): string =>
  value
    .replace(/\\/g, '\\\\')
    .replace(/\n/g, '\\n')
    .replace(/\r/g, '\\r')
    .replace(/\t/g, '\\t')
    .replace(/^ +/, (spaces) => '\\s'.repeat(spaces.length));

/** A network's name: as text where nothing in it could be taken for something else, else as a list of octets. */
export function keyfileSsid(ssid: Uint8Array): string {
  const plain =
    ssid.length > 0 &&
    ssid.every((octet) => octet > 0x20 && octet < 0x7f && octet !== 0x3b && octet !== 0x5c);
  const inner = ssid.every((octet, at) => octet !== 0x20 || (at > 0 && at < ssid.length - 1));
  const simple = ssid.every(
    (octet) => octet === 0x20 || (octet > 0x20 && octet < 0x7f && octet !== 0x3b && octet !== 0x5c),
  );
  return plain || (ssid.length > 0 && inner && simple)
    ? textOf(ssid)
    : [...ssid].map((octet) => `${String(octet)};`).join('');
}

const written = (groups: readonly [string, readonly (readonly [string, string])[]][]): string =>
  groups
    .filter(([, pairs]) => pairs.length > 0)
    .map(([name, pairs]) => `[${name}]\n${pairs.map(([key, value]) => `${key}=${value}\n`).join('')}`)
    .join('\n');

/** A connection's UUID (RFC 9562): that of the device with its place in the last two digits. */
const uuidOf = (deviceId: string, place: number): string =>
  `${deviceId.slice(0, -2)}${place.toString(16).padStart(2, '0')}`;

function security({ security: kind, key }: NetworkSettings): (readonly [string, string])[] {
  if (kind === 'open') return [];
  if (kind === 'wep')
    return [
      ['key-mgmt', 'none'],
      ['wep-key-type', '1'],
      ['wep-key0', key],
    ];
  return [
    ['key-mgmt', kind === 'wpa3-sae' ? 'sae' : 'wpa-psk'],
    ['psk', escaped(key)],
  ];
}

/** The keyfile of one wireless network. @param place 0 for the first network of a device */
export const wifiKeyfile = (network: NetworkSettings, settings: FirstBootSettings, place: number): string =>
  wifiProfile(network, {
    id: `nest-${String(place + 1)}`,
    uuid: uuidOf(settings.deviceId, place),
    auto: true,
  });

/** A profile of a wireless network. @param auto whether it starts by itself */
export function wifiProfile(
  network: NetworkSettings,
  { id, uuid, auto }: { id: string; uuid: string; auto: boolean },
): string {
  return written([
    [
      'connection',
      [
        ['id', id],
        ['uuid', uuid],
        ['type', 'wifi'],
        ...(auto ? [] : [['autoconnect', 'false'] as const]),
        ...(network.priority === 0 ? [] : [['autoconnect-priority', String(network.priority)] as const]),
      ],
    ],
    [
      'wifi',
      [
        ...(network.hidden ? [['hidden', 'true'] as const] : []),
        ['mode', 'infrastructure'],
        ['ssid', keyfileSsid(network.ssid)],
      ],
    ],
    ['wifi-security', security(network)],
    ['ipv4', [['method', 'auto']]],
    ['ipv6', [['method', 'auto']]],
  ]);
}

/** The keyfile of a wired interface with a fixed address. */
export function wiredKeyfile(
  { address, gateway, nameServers }: NonNullable<FirstBootSettings['wired']>,
  settings: FirstBootSettings,
): string {
  return written([
    [
      'connection',
      [
        ['id', 'nest-wired'],
        ['uuid', uuidOf(settings.deviceId, 0xff)],
        ['type', 'ethernet'],
      ],
    ],
    [
      'ipv4',
      [
        ['address1', gateway ? `${address},${gateway}` : address],
        ...(nameServers.length > 0
          ? [['dns', nameServers.map((server) => `${server};`).join('')] as const]
          : []),
        ['method', 'manual'],
      ],
    ],
    ['ipv6', [['method', 'auto']]],
  ]);
}
