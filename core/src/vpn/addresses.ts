import { addressAt, overlap, prefixOf, subnetFault } from '../net/subnet';

/** Number of the hub among the addresses of the tunnel; boards have the ones behind it. */
export const HUB_NUMBER = 1;

/** What is wrong with the range of addresses inside a tunnel; null for nothing. */
export function vpnNetworkFault(cidr: string): string | null {
  if (cidr.trim() === '') return 'The range of addresses is missing.';
  const prefix = prefixOf(cidr);
  if (prefix === null) return 'It is not four numbers and the length of the prefix.';
  if (prefix < 16 || prefix > 29) return 'Its prefix has to be from /16 to /29.';
  // How wide a range may be that is searched says nothing here.
  const fault = subnetFault(cidr.replace(/\/\d+$/, '/32'));
  return fault === 'public' || /^\s*(?:127|169)\./.test(cidr) ? 'It is not a private one (RFC 1918).' : null;
}

/** How many boards a range has room for beside the hub; 0 where it is none. */
export function vpnRoom(cidr: string): number {
  const prefix = prefixOf(cidr);
  return prefix === null || prefix > 30 ? 0 : 2 ** (32 - prefix) - 2 - HUB_NUMBER;
}

/** The address inside the tunnel of what has a number; null where the range has none for it. */
export const vpnAddress = (cidr: string, number: number): string | null => addressAt(cidr, number);

/**
 * A range that is unlikely to be anybody's own network.
 * @param below gives a whole number from 0 to what it is given, that one left out
 * @param taken ranges that it must not share an address with
 */
export function someVpnNetwork(below: (end: number) => number, taken: readonly string[]): string {
  for (let tries = 0; ; tries++) {
    const range = `10.${String(64 + below(64))}.${String(below(256))}.0/24`;
    if (tries > 1000 || !taken.some((other) => overlap(range, other))) return range;
  }
}
