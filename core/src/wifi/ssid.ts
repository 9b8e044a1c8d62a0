import { fromHex, textOrNull, toHex, utf8 } from '../bytes';
import type { Network } from './network';

/** Most octets of a network name (IEEE Std 802.11-2020 section 9.4.2.2). */
export const SSID_MAX_OCTETS = 32;

/** Length of a network name in octets, as it goes over the air in UTF-8. */
export const ssidOctets = (ssid: string): number => utf8(ssid).length;

/** A network's name as octets; null when its hexadecimal form is broken. */
export const ssidBytes = ({ ssid, ssidForm }: Pick<Network, 'ssid' | 'ssidForm'>): Uint8Array | null =>
  ssidForm === 'text' ? utf8(ssid) : fromHex(ssid);

/** A network's name as text, or null when its octets are not UTF-8 and only the hexadecimal form can tell it. */
export function ssidText(network: Pick<Network, 'ssid' | 'ssidForm'>): string | null {
  const bytes = ssidBytes(network);
  return bytes && textOrNull(bytes);
}

/** Both forms of a name, for the screen: `Salt Marsh` and `53616c74204d61727368`. */
export const ssidForms = (
  network: Pick<Network, 'ssid' | 'ssidForm'>,
): { text: string | null; hex: string } => {
  const bytes = ssidBytes(network);
  return { text: ssidText(network), hex: bytes ? toHex(bytes) : '' };
};
