/** Reads the kernel's wireless regulatory database, version 20 (net/wireless/reg.c). */

const MAGIC = 0x52474442;
const VERSION = 20;

/** Ranges as `start-end` in MHz, by country code. @throws Error when the file has another form */
export function readRadioDatabase(bytes: Buffer): Record<string, string[]> {
  if (bytes.readUInt32BE(0) !== MAGIC || bytes.readUInt32BE(4) !== VERSION)
    throw new Error('this is not a regulatory database of version 20');
  const countries: Record<string, string[]> = {};
  for (let at = 8; bytes.readUInt16BE(at + 2) !== 0; at += 4) {
    const code = bytes.toString('latin1', at, at + 2);
    const collection = bytes.readUInt16BE(at + 2) * 4;
    const length = bytes.readUInt8(collection);
    const count = bytes.readUInt8(collection + 1);
    // The header's length is rounded up to the size of the pointers that follow it.
    const first = collection + length + (length % 2);
    const ranges: [number, number][] = [];
    for (let index = 0; index < count; index++) {
      const rule = bytes.readUInt16BE(first + 2 * index) * 4;
      ranges.push([bytes.readUInt32BE(rule + 4) / 1000, bytes.readUInt32BE(rule + 8) / 1000]);
    }
    if (/^[A-Z]{2}$/.test(code))
      countries[code] = joined(ranges.filter(([start]) => start < 8000)).map(
        ([a, b]) => `${String(a)}-${String(b)}`,
      );
  }
  return countries;
}

/** Ranges that touch or overlap become one. */
function joined(ranges: readonly [number, number][]): [number, number][] {
  const sorted = [...ranges].sort((a, b) => a[0] - b[0]);
  const result: [number, number][] = [];
  for (const [start, end] of sorted) {
    const last = result.at(-1);
    if (last && start <= last[1]) last[1] = Math.max(last[1], end);
    else result.push([start, end]);
  }
  return result;
}
