import { isMadeUp } from './hardware-address';

/**
 * Who registered the first part of hardware addresses: names by their prefix of 6, 7 or 9 hexadecimal digits in capitals
 * (IEEE registration authority: MA-L, MA-M and MA-S).
 */
export type Makers = ReadonlyMap<string, string>;

/** The registry's own blocks are divided further; who has a part is told by a longer prefix, or by nobody. */
const DIVIDED = /^IEEE Registration Authority$/i;
/** Addresses for examples (RFC 7042 section 2.1.2). */
const FOR_EXAMPLES = '00:00:5e:00:53:';

/**
 * Who registered an address, in words; empty where nobody knows. It says who made the interface and not which board it
 * is: a board with an adapter shows the adapter's maker.
 * @param hardwareAddress as `02:00:5e:00:53:15`
 */
export function makerOf(hardwareAddress: string, makers: Makers): string {
  if (isMadeUp(hardwareAddress)) return 'a made-up address';
  if (hardwareAddress.startsWith(FOR_EXAMPLES)) return 'an address for examples';
  const digits = hardwareAddress.replaceAll(':', '').toUpperCase();
  for (const length of [9, 7, 6]) {
    const name = makers.get(digits.slice(0, length));
    if (name !== undefined) return DIVIDED.test(name) || name === 'Private' ? '' : name;
  }
  return '';
}
