import { concatBytes, equalBytes } from '../bytes';
import type { ByteSource } from './byte-source';
import { crc32 } from './crc32';
import { DiskError } from './disk-error';
import type { Partition } from './partition';

/** GUID partition tables (UEFI specification 2.10 section 5.3); sectors of 512 octets, as images have them. */
const sector = 512;
const signature = 'EFI PART';
/** Bounds that no image comes near, so that a table that lies cannot fill the memory. */
const mostEntries = 1024;
const largestEntry = 4096;

/** Type GUIDs with the octet that a master boot record would have for them. */
const knownTypes: Readonly<Record<string, number>> = {
  'c12a7328-f81f-11d2-ba4b-00a0c93ec93b': 0xef,
  '0fc63daf-8483-4772-8e79-3d69d8477de4': 0x83,
  '0657fd6d-a4ab-43c4-84e5-0933c84b4f4f': 0x82,
  'ebd0a0a2-b9e5-4433-87c0-68b6b72699c7': 0x0c,
};
const unusedType = '00000000-0000-0000-0000-000000000000';

interface Table {
  own: number;
  alternate: number;
  diskGuid: Uint8Array;
  entries: Uint8Array;
  entrySize: number;
  count: number;
}

/** A 64-bit number; null when it is beyond what can be a sector of any disk. */
function uint64(view: DataView, at: number): number | null {
  const high = view.getUint32(at + 4, true);
  return high > 0x1fff ? null : high * 2 ** 32 + view.getUint32(at, true);
}

/** Text of a GUID: the first three fields are stored least significant octet first (appendix A). */
function guidText(bytes: Uint8Array): string {
  const order = [3, 2, 1, 0, 5, 4, 7, 6, 8, 9, 10, 11, 12, 13, 14, 15];
  const hex = order.map((at) => (bytes[at] ?? 0).toString(16).padStart(2, '0')).join('');
  return hex.replace(/^(.{8})(.{4})(.{4})(.{4})/, '$1-$2-$3-$4-');
}

/** Reads one of the two tables; the reason why it cannot be used otherwise. */
async function readTable(disk: ByteSource, at: number): Promise<Table | string> {
  if (at < 1 || (at + 1) * sector > disk.size) return 'it lies beyond the end';
  const header = Uint8Array.from(await disk.read(at * sector, sector));
  const view = new DataView(header.buffer);
  if (String.fromCharCode(...header.subarray(0, 8)) !== signature) return 'its signature is missing';
  const headerSize = view.getUint32(12, true);
  if (headerSize < 92 || headerSize > sector) return 'its header has an impossible size';
  const checksum = view.getUint32(16, true);
  view.setUint32(16, 0, true);
  if (crc32(header.subarray(0, headerSize)) !== checksum) return 'the checksum of its header is wrong';
  const own = uint64(view, 24);
  const alternate = uint64(view, 32);
  const start = uint64(view, 72);
  const count = view.getUint32(80, true);
  const entrySize = view.getUint32(84, true);
  if (own !== at) return 'its header names another place as its own';
  if (alternate === null || start === null) return 'it names impossible sectors';
  if (
    count < 1 ||
    count > mostEntries ||
    entrySize < 128 ||
    entrySize > largestEntry ||
    entrySize % 128 !== 0
  )
    return 'its list of partitions has an impossible size';
  if (start * sector + count * entrySize > disk.size) return 'its list of partitions lies beyond the end';
  const entries = Uint8Array.from(await disk.read(start * sector, count * entrySize));
  if (crc32(entries) !== view.getUint32(88, true)) return 'the checksum of its list of partitions is wrong';
  return { own, alternate, diskGuid: header.slice(56, 72), entries, entrySize, count };
}

/**
 * Reads a GUID partition table. Both tables are looked at: an image whose copy at the end is missing or differs was cut
 * off or changed after it was made.
 * @throws DiskError when either is damaged, when they differ, or when a partition reaches beyond the end
 */
export async function readGpt(disk: ByteSource): Promise<Partition[]> {
  const primary = await readTable(disk, 1);
  if (typeof primary === 'string')
    throw new DiskError('damaged', `The GPT partition table is damaged: ${primary}. Get the image again.`);
  const copy = await readTable(disk, primary.alternate);
  if (typeof copy === 'string') {
    const cut = (primary.alternate + 1) * sector > disk.size;
    throw new DiskError(
      cut ? 'cut-off' : 'damaged',
      cut
        ? `The image is cut off: the copy of its GPT partition table should end at byte ${String((primary.alternate + 1) * sector)}, ` +
            `the image ends at ${String(disk.size)}. Get the image again.`
        : `The copy of the GPT partition table at the end is damaged: ${copy}. Get the image again.`,
    );
  }
  const both = (table: Table): Uint8Array => concatBytes(table.diskGuid, table.entries);
  if (copy.alternate !== primary.own || !equalBytes(both(primary), both(copy)))
    throw new DiskError(
      'damaged',
      'The GPT partition table and its copy at the end differ. Get the image again.',
    );
  return partitionsOf(disk, primary);
}

function partitionsOf(disk: ByteSource, { entries, entrySize, count }: Table): Partition[] {
  const partitions: Partition[] = [];
  for (let index = 0; index < count; index++) {
    const entry = entries.subarray(index * entrySize, (index + 1) * entrySize);
    const view = new DataView(entry.buffer, entry.byteOffset, entrySize);
    const type = guidText(entry);
    if (type === unusedType) continue;
    const first = uint64(view, 32);
    const last = uint64(view, 40);
    const number = index + 1;
    if (first === null || last === null || first < 1 || last < first)
      throw new DiskError(
        'damaged',
        `Partition ${String(number)} has an impossible place. Get the image again.`,
      );
    const offset = first * sector;
    const size = (last - first + 1) * sector;
    if (offset + size > disk.size)
      throw new DiskError(
        'cut-off',
        `The image is cut off: partition ${String(number)} ends at byte ${String(offset + size)}, ` +
          `the image at ${String(disk.size)}. Get the image again.`,
      );
    // Bit 2 of the attributes: legacy BIOS bootable (section 5.3.3, table 5.8).
    partitions.push({
      number,
      type: knownTypes[type] ?? 0,
      bootable: ((entry[48] ?? 0) & 4) !== 0,
      offset,
      size,
    });
  }
  return partitions;
}
