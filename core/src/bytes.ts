/** Small helpers on octets that every folder of the core needs. */

const encoder = new TextEncoder();

/** UTF-8 octets of a text. */
export const utf8 = (text: string): Uint8Array<ArrayBuffer> => encoder.encode(text);

/** Text of UTF-8 octets. Throws a TypeError when they are not valid UTF-8; a byte-order mark is kept. */
export const textOf = (bytes: Uint8Array): string =>
  new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(bytes);

/** Text of UTF-8 octets, or null when they are not valid UTF-8. */
export function textOrNull(bytes: Uint8Array): string | null {
  try {
    return textOf(bytes);
  } catch {
    return null;
  }
}

/** Joins octet strings into a new one. */
export function concatBytes(...parts: readonly Uint8Array[]): Uint8Array<ArrayBuffer> {
  const joined = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    joined.set(part, at);
    at += part.length;
  }
  return joined;
}

/** Whether two octet strings are equal. Not constant-time: never for secrets. */
export function equalBytes(a: Uint8Array, b: Uint8Array): boolean {
  return a.length === b.length && a.every((value, index) => value === b[index]);
}

/** Lower-case hexadecimal digits, two for each octet. */
export const toHex = (bytes: Uint8Array): string =>
  Array.from(bytes, (value) => value.toString(16).padStart(2, '0')).join('');

/** Octets of hexadecimal digits in pairs; null when it is not that. */
export function fromHex(text: string): Uint8Array<ArrayBuffer> | null {
  if (!/^([0-9A-Fa-f]{2})*$/.test(text)) return null;
  return Uint8Array.from(text.match(/../g) ?? [], (pair) => parseInt(pair, 16));
}

const base64Alphabet = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';

/** Base64 with padding (RFC 4648 section 4). */
export function toBase64(bytes: Uint8Array): string {
  let text = '';
  for (let at = 0; at < bytes.length; at += 3) {
    const left = bytes.length - at;
    const group = ((bytes[at] ?? 0) << 16) | ((bytes[at + 1] ?? 0) << 8) | (bytes[at + 2] ?? 0);
    text += base64Alphabet.charAt(group >> 18) + base64Alphabet.charAt((group >> 12) & 63);
    text += left > 1 ? base64Alphabet.charAt((group >> 6) & 63) : '=';
    text += left > 2 ? base64Alphabet.charAt(group & 63) : '=';
  }
  return text;
}

/**
 * Octets of a base64 text (RFC 4648 section 4).
 * @returns null when a character, the length or the padding is wrong, or when bits beyond the end are set.
 */
export function fromBase64(text: string): Uint8Array<ArrayBuffer> | null {
  if (text.length % 4 !== 0 || !/^[A-Za-z0-9+/]*={0,2}$/.test(text)) return null;
  const clean = text.replace(/=+$/, '');
  const bytes = new Uint8Array(Math.floor((clean.length * 6) / 8));
  let buffer = 0;
  let bits = 0;
  let at = 0;
  for (const char of clean) {
    buffer = ((buffer << 6) | base64Alphabet.indexOf(char)) & 0xffffff;
    bits += 6;
    if (bits >= 8) {
      bits -= 8;
      bytes[at++] = (buffer >> bits) & 0xff;
    }
  }
  return (buffer & ((1 << bits) - 1)) === 0 ? bytes : null;
}
