/** Hardware addresses of network interfaces (EUI-48), as `02:00:5e:00:53:15`. */

/** Six octets as text. */
export const hardwareText = (octets: ArrayLike<number>): string =>
  Array.from(octets, (octet) => octet.toString(16).padStart(2, '0')).join(':');

/**
 * Reads a hardware address in the forms that systems and router pages print: with colons or hyphens, with or without
 * leading zeros, and in three groups of four.
 * @returns null when it is none, and for those that no interface has: all zeros and group addresses (IEEE Std 802-2014
 * clause 8.2)
 */
export function readHardwareAddress(text: string): string | null {
  const parts = /^[0-9a-f]{1,2}([:-])(?:[0-9a-f]{1,2}\1){4}[0-9a-f]{1,2}$/i.test(text)
    ? text.split(/[:-]/)
    : /^[0-9a-f]{4}\.[0-9a-f]{4}\.[0-9a-f]{4}$/i.test(text)
      ? (text.replaceAll('.', '').match(/../g) ?? [])
      : [];
  if (parts.length !== 6) return null;
  const octets = parts.map((part) => parseInt(part, 16));
  const group = ((octets[0] ?? 0) & 1) === 1;
  return group || octets.every((octet) => octet === 0) ? null : hardwareText(octets);
}

/**
 * Whether an address was made up by the system and not given by a maker: the local bit is set (IEEE Std 802-2014 clause
 * 8.2). Such a one may be another after the next start.
 */
export const isMadeUp = (hardwareAddress: string): boolean =>
  (parseInt(hardwareAddress.slice(0, 2), 16) & 2) === 2;

/**
 * The hardware address that an IPv6 interface identifier shows (RFC 4291 appendix A): `ff:fe` in its middle, the
 * local bit turned.
 * @returns null where the identifier is of another kind
 */
export function hardwareOfLinkLocal(address: string): string | null {
  const groups = address.split('%')[0]?.toLowerCase().split(':').slice(-4) ?? [];
  if (groups.length !== 4 || groups.some((group) => !/^[0-9a-f]{0,4}$/.test(group))) return null;
  const octets = (
    groups
      .map((group) => group.padStart(4, '0'))
      .join('')
      .match(/../g) ?? []
  ).map((octet) => parseInt(octet, 16));
  if (octets[3] !== 0xff || octets[4] !== 0xfe) return null;
  return hardwareText([(octets[0] ?? 0) ^ 2, octets[1] ?? 0, octets[2] ?? 0, ...octets.slice(5)]);
}
