import { textOrNull, toHex, utf8 } from '../bytes';
import type { FirstBootSettings, NetworkSettings } from './settings';

/**
 * Writes `wpa_supplicant.conf` (wpa_supplicant.conf(5) and the example file that comes with it). Text in quotes knows no
 * escapes there, so whatever is not plain goes as hexadecimal digits.
 */

const plain = /^[A-Za-z0-9_.-]([A-Za-z0-9 _.-]*[A-Za-z0-9_.-])?$/;

/** A value of octets: in quotes where that is safe, else as hexadecimal digits. */
function octets(bytes: Uint8Array): string {
  const text = textOrNull(bytes);
  if (text !== null && plain.test(text)) return `"${text}"`;
  return toHex(bytes);
}

function security({ security: kind, key }: NetworkSettings): string[] {
  switch (kind) {
    case 'open':
      return ['key_mgmt=NONE'];
    case 'wep':
      return ['key_mgmt=NONE', `wep_key0=${key}`, 'wep_tx_keyidx=0'];
    case 'wpa3-sae':
      return ['key_mgmt=SAE', `sae_password=${octets(utf8(key))}`, 'ieee80211w=2'];
    case 'wpa2-psk':
      return ['key_mgmt=WPA-PSK', `psk=${key}`];
    case 'wpa2-wpa3':
      // Protected management frames where the access point offers them.
      return ['key_mgmt=WPA-PSK', `psk=${key}`, 'ieee80211w=1'];
  }
}

/** Settings of one network, one a line. */
export const supplicantLines = (network: NetworkSettings): string[] => [
  `ssid=${octets(network.ssid)}`,
  ...(network.hidden ? ['scan_ssid=1'] : []),
  ...security(network),
  ...(network.priority === 0 ? [] : [`priority=${String(network.priority)}`]),
];

/** The whole file; networks in falling priority. */
export function supplicantFile({
  networks,
  country,
}: Pick<FirstBootSettings, 'networks' | 'country'>): string {
  const blocks = [...networks]
    .sort((a, b) => b.priority - a.priority)
    .map(
      (network) =>
        `\nnetwork={\n${supplicantLines(network)
          .map((line) => `\t${line}\n`)
          .join('')}}\n`,
    );
  return `ctrl_interface=DIR=/run/wpa_supplicant GROUP=netdev\nupdate_config=1\ncountry=${country}\n${blocks.join('')}`;
}
