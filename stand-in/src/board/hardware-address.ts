import { createHash } from 'node:crypto';

/** A hardware address with the local bit set (RFC 7042 section 2.1), the same for the same nest each time. */
export const hardwareAddressOf = (nest: string): string =>
  ['02', ...(createHash('sha256').update(nest).digest('hex').slice(0, 10).match(/../g) ?? [])].join(':');
