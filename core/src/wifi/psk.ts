import { pbkdf2 } from '@noble/hashes/pbkdf2.js';
import { sha1 } from '@noble/hashes/legacy.js';
import { toHex, utf8 } from '../bytes';

export type PassphraseKind = 'passphrase' | 'key';

/**
 * What a typed Wi-Fi secret is: 8 to 63 printable ASCII characters are a passphrase, 64 hexadecimal digits are
 * the key itself (IEEE Std 802.11-2020 annex J.4). Null when it is neither.
 */
export function passphraseKind(secret: string): PassphraseKind | null {
  if (/^[0-9A-Fa-f]{64}$/.test(secret)) return 'key';
  return /^[\x20-\x7e]{8,63}$/.test(secret) ? 'passphrase' : null;
}

/**
 * The 256-bit pre-shared key as 64 lower-case hexadecimal digits: PBKDF2-HMAC-SHA1 over the name's octets,
 * 4096 rounds (IEEE Std 802.11-2020 annex J.4). A key given as digits is passed through.
 * @throws RangeError when the secret is neither a passphrase nor a key
 */
export function preSharedKey(ssid: string | Uint8Array, secret: string): string {
  const kind = passphraseKind(secret);
  if (kind === null) throw new RangeError('the passphrase must have 8 to 63 printable ASCII characters');
  if (kind === 'key') return secret.toLowerCase();
  return toHex(
    pbkdf2(sha1, utf8(secret), typeof ssid === 'string' ? utf8(ssid) : ssid, { c: 4096, dkLen: 32 }),
  );
}
