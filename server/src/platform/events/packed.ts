import { deflateRawSync, inflateRawSync } from 'node:zlib';

/** Octets that one notification may have (PostgreSQL documentation, NOTIFY: below 8000). */
const MOST_OCTETS = 7900;
/** Octets that a notification may unpack to. */
const MOST_UNPACKED = 1 << 20;

/**
 * Text as one notification takes it: as it is, or packed where it is too long, as the figures of forty cards are.
 * @returns null where it is too long packed too
 */
export function packed(text: string): string | null {
  if (Buffer.byteLength(text) <= MOST_OCTETS) return text;
  const short = deflateRawSync(text).toString('base64');
  return short.length <= MOST_OCTETS ? short : null;
}

/**
 * The text of a notification: JSON begins with a brace, what was packed never does.
 * @throws when it is neither, or longer than any that is sent
 */
export const unpacked = (payload: string): string =>
  payload.startsWith('{')
    ? payload
    : inflateRawSync(Buffer.from(payload, 'base64'), { maxOutputLength: MOST_UNPACKED }).toString('utf8');
