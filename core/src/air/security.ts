import type { AnnouncedSecurity } from './model';

/** What an access point's beacon has of security. */
export interface Announced {
  /** The privacy bit of its capabilities. */
  privacy: boolean;
  /** Whether it has the element of the first WPA. */
  wpa: boolean;
  /** How one may prove oneself, by its RSN element; null where it has none. */
  rsn: { psk: boolean; sae: boolean; owe: boolean; enterprise: boolean } | null;
  /** Whether the first WPA wants a user and a password. */
  wpaEnterprise: boolean;
}

/** What that is called (IEEE Std 802.11-2020 sections 9.4.1.4 and 9.4.2.24). */
export function securityOf({ privacy, wpa, rsn, wpaEnterprise }: Announced): AnnouncedSecurity {
  if (rsn?.sae) return rsn.psk ? 'wpa2-wpa3' : 'wpa3-sae';
  if (rsn?.psk) return wpa ? 'wpa-wpa2' : 'wpa2-psk';
  if (rsn?.owe) return 'owe';
  if (rsn?.enterprise || wpaEnterprise) return 'enterprise';
  if (wpa) return 'wpa';
  return privacy || rsn ? 'wep' : 'open';
}
