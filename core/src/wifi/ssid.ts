import { utf8 } from '../bytes';

/** Most octets of a network name (IEEE Std 802.11-2020 section 9.4.2.2). */
export const SSID_MAX_OCTETS = 32;

/** Length of a network name in octets, as it goes over the air in UTF-8. */
export const ssidOctets = (ssid: string): number => utf8(ssid).length;
