import { toHex, utf8 } from '../bytes';
import type { SecretFault, WifiSecurity } from './network';
import { passphraseKind } from './psk';

/** Lengths of WEP keys: 40 and 104 bits, as characters or as hexadecimal digits (IEEE Std 802.11-2020 12.3.2). */
const wepCharacters = [5, 13];
const wepDigits = [10, 26];

/** A WEP key as hexadecimal digits, or null when the text has none of the four lengths. */
export function wepKey(secret: string): string | null {
  if (/^[0-9A-Fa-f]+$/.test(secret) && wepDigits.includes(secret.length)) return secret.toLowerCase();
  return /^[\x20-\x7e]+$/.test(secret) && wepCharacters.includes(secret.length) ? toHex(utf8(secret)) : null;
}

/** Whether SAE takes a password: any letters, not only plain ones, but no control characters. */
export const isSaePassword = (secret: string): boolean =>
  !/\p{Cc}/u.test(secret) && [...secret].length >= 8 && [...secret].length <= 63;

/**
 * What is wrong with a network's key. WPA passphrases: IEEE Std 802.11-2020 annex J.4. SAE takes a password of any
 * length (12.4.3), but access points ask for at least 8 characters (common practice).
 */
export function secretFaults(security: WifiSecurity, secret: string): SecretFault[] {
  if (security === 'open') return secret === '' ? [] : ['not-needed'];
  if (secret === '') return ['missing'];
  const spaces: SecretFault[] = secret === secret.trim() ? [] : ['spaces'];
  if (security === 'wep') return wepKey(secret) ? spaces : ['wep-form', ...spaces];
  if (security === 'wpa3-sae' && /^[0-9A-Fa-f]{64}$/.test(secret)) return ['long'];
  if (passphraseKind(secret)) return spaces;
  if (security === 'wpa3-sae' && isSaePassword(secret)) return spaces;
  const strange = security === 'wpa3-sae' ? /\p{Cc}/u : /[^\x20-\x7e]/;
  if (strange.test(secret)) return ['characters', ...spaces];
  return [secret.length < 8 ? 'short' : 'long', ...spaces];
}
