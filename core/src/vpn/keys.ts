import { fromBase64, toBase64 } from '../bytes';

/** Octets of a key (RFC 7748, section 5; wg(8)). */
const KEY = 32;

/**
 * Whether a text is a key as the tunnel's tools write it: 32 octets in base64, in the one way that there is to write
 * them. They are judged here since `wg-quick strip` says nothing of a wrong one.
 */
export function isVpnKey(text: string): boolean {
  const octets = fromBase64(text);
  return octets?.length === KEY && toBase64(octets) === text;
}
