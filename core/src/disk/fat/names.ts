/** File names on FAT: the short 8.3 form and the long form (Microsoft FAT specification 1.03, pages 26 to 33). */

const shortChars = /^[A-Z0-9!#$%&'()\-@^_`{}~]+$/;

/** The eleven octets of an 8.3 name, or null when the name needs a long form. */
export function exactShortName(name: string): string | null {
  const parts = name.split('.');
  const [base = '', extension = ''] = parts;
  if (parts.length > 2 || (parts.length === 2 && extension === '')) return null;
  if (base.length < 1 || base.length > 8 || extension.length > 3) return null;
  if (!shortChars.test(base) || (extension && !shortChars.test(extension))) return null;
  return base.padEnd(8) + extension.padEnd(3);
}

/** A made-up 8.3 name for a long one, with a number tail that no other file in the folder has. */
export function shortNameFor(name: string, taken: ReadonlySet<string>): string {
  const clean = (text: string): string =>
    [...text.toUpperCase()].map((char) => (shortChars.test(char) ? char : '_')).join('');
  const dot = name.lastIndexOf('.');
  const base = clean((dot > 0 ? name.slice(0, dot) : name).replace(/[ .]/g, '')) || '_';
  const extension = clean(dot > 0 ? name.slice(dot + 1) : '').slice(0, 3);
  for (let number = 1; ; number++) {
    const tail = `~${String(number)}`;
    const short = (base.slice(0, 8 - tail.length) + tail).padEnd(8) + extension.padEnd(3);
    if (!taken.has(short)) return short;
  }
}

/** Check sum that ties long entries to their short one. */
export function shortNameSum(short: string): number {
  let sum = 0;
  for (let at = 0; at < 11; at++) sum = (((sum & 1) << 7) + (sum >> 1) + short.charCodeAt(at)) & 255;
  return sum;
}

/** Where the 13 characters of a long entry stand. */
const longPlaces = [1, 3, 5, 7, 9, 14, 16, 18, 20, 22, 24, 28, 30];

/** The directory slots that carry a long name, in the order in which they are written. */
export function longNameSlots(name: string, short: string): Uint8Array[] {
  const sum = shortNameSum(short);
  const count = Math.ceil(name.length / 13);
  return Array.from({ length: count }, (_, index) => {
    const order = count - index;
    const slot = new Uint8Array(32);
    slot[0] = order | (index === 0 ? 0x40 : 0);
    slot[11] = 0x0f;
    slot[13] = sum;
    longPlaces.forEach((place, char) => {
      const at = (order - 1) * 13 + char;
      // One zero ends the name, the rest is filled with ones.
      const code = at < name.length ? name.charCodeAt(at) : at === name.length ? 0 : 0xffff;
      slot[place] = code & 255;
      slot[place + 1] = code >> 8;
    });
    return slot;
  });
}

/** The part of a long name that one slot holds. */
export function longNamePart(slot: Uint8Array): string {
  let part = '';
  for (const place of longPlaces) {
    const code = (slot[place] ?? 0) | ((slot[place + 1] ?? 0) << 8);
    if (code === 0 || code === 0xffff) break;
    part += String.fromCharCode(code);
  }
  return part;
}

/** The readable form of a short name; the two case bits of octet 12 mean small letters (mtools, Linux). */
export function readShortName(slot: Uint8Array): string {
  const text = String.fromCharCode(...slot.subarray(0, 11));
  const bits = slot[12] ?? 0;
  // 0x05 stands for 0xE5, which would mark the slot as free.
  const base = text.slice(0, 8).trimEnd().replace(/^\x05/, '\xe5');
  const extension = text.slice(8).trimEnd();
  return (
    (bits & 0x08 ? base.toLowerCase() : base) +
    (extension ? `.${bits & 0x10 ? extension.toLowerCase() : extension}` : '')
  );
}
