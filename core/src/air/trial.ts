import type { KeyVerdict } from '../wifi/key-trial';

/** What a supplicant's event says of a trial; null for one that decides nothing. */
export type TrialSign =
  | Exclude<KeyVerdict, 'other-security' | 'no-address' | 'right' | 'apart'>
  | 'joined'
  | null;

/**
 * Reads one line of a supplicant's control socket (wpa_supplicant 2.10, wpa_ctrl.h; seen with hostapd 2.10). A wrong key of
 * WPA2 shows as a handshake that failed, of WPA3 as an authentication that is rejected (status 1; 15 as well, from memory);
 * an access point that is full answers with status 17 (IEEE Std 802.11-2020 table 9-50).
 */
export function trialSign(line: string): TrialSign {
  if (/CTRL-EVENT-CONNECTED\b/.test(line)) return 'joined';
  if (/CTRL-EVENT-SSID-TEMP-DISABLED .*reason=WRONG_KEY/.test(line)) return 'wrong-key';
  if (/4-Way Handshake failed/.test(line)) return 'wrong-key';
  const [, type, status] = /CTRL-EVENT-AUTH-REJECT \S+ auth_type=(\d+) .*status_code=(\d+)/.exec(line) ?? [];
  if (type === '3' && (status === '1' || status === '15')) return 'wrong-key';
  if (status === '17' || /CTRL-EVENT-ASSOC-REJECT .*status_code=17\b/.test(line)) return 'full';
  if (/CTRL-EVENT-NETWORK-NOT-FOUND/.test(line)) return 'not-heard';
  return null;
}

/** What a network has to be for a trial. */
export interface TriedNetwork {
  /** Octets of its name, in hexadecimal digits. */
  ssidHex: string;
  hidden: boolean;
  security: 'open' | 'wep' | 'wpa2-psk' | 'wpa2-wpa3' | 'wpa3-sae';
  /** What a board gets of its key: digits, or the passphrase of WPA3; empty for an open one. */
  key: string;
  /** Frequencies on which it was heard, in MHz; none for all. */
  mhz: readonly number[];
}

/** Asks a supplicant for one more network; it answers with its number. */
export const ADD_NETWORK = 'add_network';

/**
 * Commands to a supplicant about a network that it has just added (wpa_supplicant.conf(5)); a name goes as digits, so that
 * none is misread.
 * @param id number of the network
 */
export function trialCommands({ ssidHex, hidden, security, key, mhz }: TriedNetwork, id: number): string[] {
  const set = `set_network ${String(id)}`;
  const of: Record<TriedNetwork['security'], string[]> = {
    open: ['key_mgmt NONE'],
    wep: ['key_mgmt NONE', `wep_key0 ${key}`],
    'wpa2-psk': ['key_mgmt WPA-PSK', `psk ${key}`],
    // As boards are prepared: with the key of WPA2.
    'wpa2-wpa3': ['key_mgmt WPA-PSK', 'ieee80211w 1', `psk ${key}`],
    'wpa3-sae': ['key_mgmt SAE', 'ieee80211w 2', `sae_password "${key}"`],
  };
  return [
    `${set} ssid ${ssidHex}`,
    ...(hidden ? [`${set} scan_ssid 1`] : []),
    ...(mhz.length > 0 ? [`${set} scan_freq ${mhz.join(' ')}`] : []),
    ...of[security].map((line) => `${set} ${line}`),
    `select_network ${String(id)}`,
  ];
}
