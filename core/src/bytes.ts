import { bytesToHex, hexToBytes } from '@noble/hashes/utils.js';
import { fromByteArray, toByteArray } from 'base64-js';

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

/** Lower-case hexadecimal digits, two for each octet (RFC 4648 section 8). */
export const toHex = (bytes: Uint8Array): string => bytesToHex(bytes);

/** Octets of hexadecimal digits in pairs, of either case; null when it is not that. */
export const fromHex = (text: string): Uint8Array<ArrayBuffer> | null =>
  /^([0-9A-Fa-f]{2})*$/.test(text) ? new Uint8Array(hexToBytes(text)) : null;

/** Base64 with padding (RFC 4648 section 4). */
export const toBase64 = (bytes: Uint8Array): string => fromByteArray(bytes);

/**
 * Octets of a base64 text (RFC 4648 section 4).
 * @returns null when a character, the length or the padding is wrong, or when bits beyond the end are set.
 */
export function fromBase64(text: string): Uint8Array<ArrayBuffer> | null {
  if (text.length % 4 !== 0 || !/^[A-Za-z0-9+/]*={0,2}$/.test(text)) return null;
  const bytes = new Uint8Array(toByteArray(text));
  // The package reads on over bits beyond the end; only what it would write itself is right.
  return fromByteArray(bytes) === text ? bytes : null;
}
