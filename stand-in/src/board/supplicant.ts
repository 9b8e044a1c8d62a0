import { BootFailure } from './settings';

/** One network as this reader takes it. */
export interface AirNetwork {
  ssid: string;
  password: string | null;
  priority: number;
}

const known = new Set(
  'ssid psk key_mgmt scan_ssid priority sae_password ieee80211w wep_key0 wep_tx_keyidx proto pairwise group auth_alg id_str disabled bssid freq_list'.split(
    ' ',
  ),
);

function text(value: string, line: number): string {
  const quoted = /^"(.*)"$/.exec(value)?.[1];
  if (quoted !== undefined) return quoted;
  if (/^([0-9a-f]{2})+$/i.test(value)) {
    const octets = Buffer.from(value, 'hex');
    // A name that is no text is told by its digits.
    return Buffer.from(octets.toString()).equals(octets) ? octets.toString() : octets.toString('hex');
  }
  throw new BootFailure(`line ${String(line)} is neither text in quotes nor hexadecimal digits`);
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
  if (content.startsWith('\uFEFF')) throw new BootFailure('line 1 is no setting');
  for (const [at, raw] of content.split('\n').entries()) {
    const trimmed = raw.replace(/\r$/, '').trim();
    const refuse = (): never => {
      throw new BootFailure(`line ${String(at + 1)} cannot be read: the whole file is refused`);
    };
    if (trimmed === '' || trimmed.startsWith('#')) continue;
    if (/^network=\{$/.test(trimmed)) {
      if (block) refuse();
      block = new Map();
    } else if (trimmed === '}') {
      if (!block) return refuse();
      const ssid = block.get('ssid');
      const psk = block.get('psk') ?? block.get('sae_password');
      if (ssid !== undefined) {
        if (psk === undefined && block.get('key_mgmt') !== 'NONE') {
          // It asks for a key that it does not have; it never joins.
          networks.push({ ssid: text(ssid, at + 1), password: '', priority: 0 });
        } else
          networks.push({
            ssid: text(ssid, at + 1),
            password:
              block.get('key_mgmt') === 'NONE' || psk === undefined
                ? null
                : /^[0-9a-f]{64}$/i.test(psk)
                  ? psk
                  : text(psk, at + 1),
            priority: Number(block.get('priority') ?? 0),
          });
      }
      block = null;
    } else {
      const [, key = '', value = ''] = /^([a-z_0-9]+)=(.*)$/.exec(trimmed) ?? [];
      if (key === '' || value === '') refuse();
      if (block && !known.has(key)) refuse();
      if (block) block.set(key, value);
      else if (key === 'country') country = value;
    }
  }
  if (block) throw new BootFailure('the last network is not closed: the whole file is refused');
  return { country, networks: networks.sort((a, b) => b.priority - a.priority) };
}
