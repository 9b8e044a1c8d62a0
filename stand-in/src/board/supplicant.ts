import { BootFailure } from './settings';

/** One network as this reader takes it. */
export interface AirNetwork {
  ssid: string;
  password: string | null;
  priority: number;
  /** Whether it is asked for by its name, since it does not tell it. */
  hidden: boolean;
}

const list = (text: string): ReadonlySet<string> => new Set(text.split(' '));

/** Settings that headless boards meet; with any other one this board refuses the file, which errs on the safe side. */
const ofNetworks = list(
  'ssid psk key_mgmt scan_ssid priority sae_password ieee80211w wep_key0 wep_key1 wep_key2 wep_key3 wep_tx_keyidx proto pairwise group auth_alg id_str disabled mode bssid freq_list scan_freq',
);
const ofTheFile = list(
  'country ctrl_interface ctrl_interface_group update_config ap_scan fast_reauth eapol_version pmf device_name p2p_disabled',
);
const numbers = list(
  'scan_ssid priority ieee80211w wep_tx_keyidx disabled mode update_config ap_scan fast_reauth eapol_version pmf p2p_disabled',
);
/** Numbers that are a choice of two. */
const switches = list('scan_ssid');

/** A line without white space around it and without the comment behind it; a # between quotation marks is no comment. */
function bare(line: string): string {
  const text = line.trim();
  if (text.startsWith('#')) return '';
  const marks = text.split('"').length - 1;
  const tail = marks > 1 ? text.lastIndexOf('"') : 0;
  const comment = text.indexOf('#', tail);
  return comment < 0 ? text : text.slice(0, comment).trimEnd();
}

/** @returns null when it is neither text in quotes nor hexadecimal digits */
function text(value: string): string | null {
  const quoted = /^"(.*)"$/.exec(value)?.[1];
  if (quoted !== undefined) return quoted;
  if (!/^([0-9a-f]{2})*$/i.test(value)) return null;
  const octets = Buffer.from(value, 'hex');
  // A name that is no text is told by its digits.
  return Buffer.from(octets.toString()).equals(octets) ? octets.toString() : octets.toString('hex');
}

function readable(key: string, value: string): boolean {
  if (/^"[^"]*$/.test(value)) return false;
  if (numbers.has(key))
    return /^\s*([+-]?\d+)?$/.test(value) && !(switches.has(key) && Math.trunc(Number(value)) > 1);
  switch (key) {
    case 'ssid':
      return text(value) !== null && Buffer.byteLength(text(value) ?? '') <= 64;
    case 'psk': {
      if (!value.startsWith('"')) return /^[0-9a-f]{64}$/i.test(value);
      const { length } = Buffer.from(value.slice(1, value.lastIndexOf('"')));
      return length >= 8 && length <= 63;
    }
    case 'key_mgmt':
      return /^\s*((NONE|SAE|OWE|IEEE8021X|(FT-)?(PSK|SAE|EAP)|WPA-(PSK|EAP)(-SHA256)?)\s*)+$/.test(value);
    case 'country':
      return value.length >= 2;
    default:
      return value !== '' || !/^(sae_password|proto|pairwise|group|auth_alg)$/.test(key);
  }
}

function joined(block: ReadonlyMap<string, string>): AirNetwork | null {
  const ssid = text(block.get('ssid') ?? '') ?? '';
  // Without a name it joins nothing; switched off, or as an access point of its own, neither.
  if (ssid === '' || Number(block.get('disabled') ?? 0) !== 0 || Number(block.get('mode') ?? 0) !== 0)
    return null;
  const open = /\bNONE\b/.test(block.get('key_mgmt') ?? '');
  const psk = block.get('psk');
  const secret =
    psk === undefined
      ? text(block.get('sae_password') ?? '')
      : psk.startsWith('"')
        ? psk.slice(1, psk.lastIndexOf('"'))
        : psk;
  // Where it should have a key and has none, it asks with an empty one and never joins.
  return {
    ssid,
    password: open ? null : (secret ?? ''),
    priority: Number(block.get('priority') ?? 0),
    hidden: Number(block.get('scan_ssid') ?? 0) === 1,
  };
}

/**
 * Networks and country of a file in the form of wpa_supplicant.conf. Like the program of that name it refuses the whole
 * file for one line that it cannot read.
 * @throws BootFailure with the line
 */
export function parseSupplicant(content: string): { country: string | null; networks: AirNetwork[] } {
  let country: string | null = null;
  const networks: AirNetwork[] = [];
  let block: Map<string, string> | null = null;
  for (const [at, raw] of content.split('\n').entries()) {
    const line = bare(raw);
    const refuse = (): never => {
      throw new BootFailure(`line ${String(at + 1)} cannot be read: the whole file is refused`);
    };
    // trimming takes a byte-order mark away, which the program does not.
    if (raw.startsWith('\uFEFF')) refuse();
    if (line === '') continue;
    if (line === 'network={') {
      if (block) refuse();
      block = new Map();
    } else if (line === '}') {
      if (!block) return refuse();
      const network = joined(block);
      if (network) networks.push(network);
      block = null;
    } else {
      const [, key = '', value = ''] = /^([^=]+)=(.*)$/.exec(line) ?? refuse();
      if (!(block ? ofNetworks : ofTheFile).has(key) || !readable(key, value)) refuse();
      if (block) block.set(key, value);
      else if (key === 'country') country = value;
    }
  }
  if (block) throw new BootFailure('the last network is not closed: the whole file is refused');
  return { country, networks: networks.sort((a, b) => b.priority - a.priority) };
}
