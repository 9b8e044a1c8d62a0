/**
 * Which settings a `network-config` of version 2 may have, and of what form (netplan YAML reference; the names were asked
 * of netplan 0.106 itself). netplan refuses the whole file for one that it does not know.
 */

export type Form =
  | { is: 'text' | 'boolean' | 'single' | 'any' }
  | { is: 'like'; pattern: RegExp; what: string }
  /** Settings by name. */
  | { is: 'settings'; of: Readonly<Record<string, Form>> }
  /** Names that a person chooses, each with the same form. */
  | { is: 'each'; of: Form; names?: RegExp }
  | { is: 'list'; of: Form };

const text: Form = { is: 'text' };
const boolean: Form = { is: 'boolean' };
const unjudged: Form = { is: 'any' };
const single: Form = { is: 'single' };
const oneOf = (...words: string[]): Form => ({
  is: 'like',
  pattern: new RegExp(`^(?:${words.map((word) => word.replace('.', '\\.')).join('|')})$`),
  what: words.join(' or '),
});

const octet = '(?:25[0-5]|2[0-4]\\d|1?\\d?\\d)';
const four = `${octet}(?:\\.${octet}){3}`;
/** Version 6 only by its letters; netplan looks closer. */
const six = '[0-9A-Fa-f:]*:[0-9A-Fa-f:.]*';
const like = (pattern: string, what: string): Form => ({
  is: 'like',
  pattern: new RegExp(`^(?:${pattern})$`),
  what,
});
const address = like(`${four}|${six}`, 'an address');
const addressWithPrefix = like(`${four}/(?:3[0-2]|[12]?\\d)|${six}/\\d{1,3}`, 'an address with its /prefix');
const target = like(`default|${four}(?:/\\d{1,2})?|${six}(?:/\\d{1,3})?`, 'default, or an address');
const hardware = like('(?:[0-9A-Fa-f]{2}:){5}[0-9A-Fa-f]{2}', 'a hardware address');
const whole = like('\\d+', 'a whole number');
const renderer = oneOf('networkd', 'NetworkManager');

const settings = (of: Readonly<Record<string, Form>>): Form => ({ is: 'settings', of });
const unjudgedOf = (names: string): Record<string, Form> =>
  Object.fromEntries(
    names
      .trim()
      .split(/\s+/)
      .map((name) => [name, unjudged]),
  );

const device: Readonly<Record<string, Form>> = {
  ...unjudgedOf(`activation-mode auth dhcp-identifier ipv6-address-generation
    ipv6-address-token ipv6-mtu networkmanager openvswitch optional-addresses routing-policy
    generic-receive-offload generic-segmentation-offload large-receive-offload receive-checksum-offload
    tcp-segmentation-offload tcp6-segmentation-offload transmit-checksum-offload neigh-suppress`),
  renderer,
  'accept-ra': boolean,
  'dhcp4-overrides': { is: 'each', of: unjudged },
  'dhcp6-overrides': { is: 'each', of: unjudged },
  'link-local': { is: 'list', of: text },
  macaddress: hardware,
  dhcp4: boolean,
  dhcp6: boolean,
  optional: boolean,
  critical: boolean,
  'emit-lldp': boolean,
  'ignore-carrier': boolean,
  'ipv6-privacy': boolean,
  wakeonlan: boolean,
  mtu: whole,
  addresses: { is: 'list', of: addressWithPrefix },
  gateway4: like(four, 'an IPv4 address'),
  gateway6: like(six, 'an IPv6 address'),
  nameservers: settings({ addresses: { is: 'list', of: address }, search: { is: 'list', of: text } }),
  match: settings({ name: text, driver: unjudged, macaddress: hardware }),
  'set-name': text,
  routes: {
    is: 'list',
    of: settings({
      ...unjudgedOf('advertised-receive-window congestion-window scope table type metric mtu'),
      to: target,
      via: address,
      from: address,
      'on-link': boolean,
    }),
  },
};

const point = settings({
  password: text,
  auth: settings({
    ...unjudgedOf(
      'anonymous-identity ca-certificate client-certificate client-key client-key-password phase2-auth',
    ),
    identity: text,
    'key-management': oneOf('none', 'psk', 'eap', 'eap-sha256', 'eap-suite-b-192', 'sae', '802.1x'),
    method: oneOf('tls', 'peap', 'leap', 'pwd', 'ttls'),
    password: text,
  }),
  hidden: boolean,
  mode: oneOf('infrastructure', 'ap', 'adhoc'),
  band: oneOf('2.4GHz', '2.4G', '5GHz', '5G'),
  bssid: hardware,
  channel: whole,
  networkmanager: settings({
    device: single,
    name: single,
    'stable-id': single,
    uuid: single,
    passthrough: { is: 'each', of: single },
  }),
});

/** Names of network devices: plain ASCII without wildcards. */
const deviceNames = /^[\x21-\x29\x2b-\x3e\x40-\x5a\x5c-\x7e]+$/;

/** What stands under `network:`. */
export const netplanForm: Form = settings({
  ...unjudgedOf('bonds bridges dummy-devices modems nm-devices openvswitch tunnels veths vlans vrfs'),
  version: text,
  renderer,
  ethernets: {
    is: 'each',
    names: deviceNames,
    of: settings({
      ...device,
      ...unjudgedOf(
        'delay-virtual-functions-rebind embedded-switch-mode infiniband-mode link virtual-function-count',
      ),
    }),
  },
  wifis: {
    is: 'each',
    names: deviceNames,
    of: settings({
      ...device,
      'access-points': { is: 'each', of: point },
      'regulatory-domain': text,
      wakeonwlan: unjudged,
    }),
  },
});
