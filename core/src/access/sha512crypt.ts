import { sha512 } from '@noble/hashes/sha2.js';
import { concatBytes, utf8 } from '../bytes';

/**
 * SHA-512-crypt, the `$6$` password hash of shadow files.
 * Source: Ulrich Drepper, "Unix crypt using SHA-256 and SHA-512", specification version 0.6; the step numbers
 * below are those of that document.
 */

const alphabet = './0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz';
const defaultRounds = 5000;

/** Order in which the digest's octets are encoded, three at a time (step 22). */
const order = [
  [0, 21, 42],
  [22, 43, 1],
  [44, 2, 23],
  [3, 24, 45],
  [25, 46, 4],
  [47, 5, 26],
  [6, 27, 48],
  [28, 49, 7],
  [50, 8, 29],
  [9, 30, 51],
  [31, 52, 10],
  [53, 11, 32],
  [12, 33, 54],
  [34, 55, 13],
  [56, 14, 35],
  [15, 36, 57],
  [37, 58, 16],
  [59, 17, 38],
  [18, 39, 60],
  [40, 61, 19],
  [62, 20, 41],
] as const;

function encode(digest: Uint8Array): string {
  let text = '';
  const put = (value: number, chars: number): void => {
    for (let at = 0; at < chars; at++) text += alphabet.charAt((value >> (6 * at)) & 63);
  };
  for (const [a, b, c] of order)
    put(((digest[a] ?? 0) << 16) | ((digest[b] ?? 0) << 8) | (digest[c] ?? 0), 4);
  put(digest[63] ?? 0, 2);
  return text;
}

/** Repeats a digest up to a length, cutting the last copy. */
function stretch(digest: Uint8Array, length: number): Uint8Array {
  const out = new Uint8Array(length);
  for (let at = 0; at < length; at += digest.length) out.set(digest.subarray(0, length - at), at);
  return out;
}

/**
 * Hashes a password.
 * @param salt up to 16 characters are used, without `$`
 * @param rounds 1,000 to 999,999,999; written into the result when it is not the default of 5,000
 * @returns the crypt string, `$6$salt$…`
 */
export function sha512Crypt(password: string, salt: string, rounds = defaultRounds): string {
  const key = utf8(password);
  const saltText = salt.slice(0, 16);
  const saltBytes = utf8(saltText);
  const count = Math.min(Math.max(rounds, 1000), 999_999_999);

  const b = sha512(concatBytes(key, saltBytes, key)); // steps 4 to 8
  const parts: Uint8Array[] = [key, saltBytes, stretch(b, key.length)]; // steps 1 to 3, 9, 10
  for (let bits = key.length; bits > 0; bits >>= 1) parts.push(bits & 1 ? b : key); // step 11
  let digest = sha512(concatBytes(...parts)); // step 12

  const dp = sha512(concatBytes(...Array.from({ length: key.length }, () => key))); // steps 13 to 15
  const p = stretch(dp, key.length); // step 16
  const ds = sha512(concatBytes(...Array.from({ length: 16 + (digest[0] ?? 0) }, () => saltBytes))); // 17 to 19
  const s = stretch(ds, saltBytes.length); // step 20
  for (let round = 0; round < count; round++) {
    // step 21
    const odd = round % 2 === 1;
    const mix: Uint8Array[] = [odd ? p : digest];
    if (round % 3) mix.push(s);
    if (round % 7) mix.push(p);
    mix.push(odd ? digest : p);
    digest = sha512(concatBytes(...mix));
  }
  const prefix = rounds === defaultRounds ? '' : `rounds=${String(count)}$`;
  return `$6$${prefix}${saltText}$${encode(digest)}`;
}

/**
 * A salt of 16 characters.
 * @param random 16 random octets
 */
export const cryptSalt = (random: Uint8Array): string =>
  Array.from(random.subarray(0, 16), (value) => alphabet.charAt(value & 63)).join('');
