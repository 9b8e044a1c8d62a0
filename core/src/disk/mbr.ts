import type { ByteSource } from './byte-source';
import { DiskError } from './disk-error';
import { foreignKind, isOptical } from './foreign';
import { readGpt } from './gpt';
import type { Partition } from './partition';

const sector = 512;
const extendedTypes = new Set([0x05, 0x0f, 0x85]);
/** Type of the entry that guards a GPT disk (UEFI specification 2.10 section 5.2.3). */
const protectiveType = 0xee;

interface Entry {
  /** The octet that can be 0x00 or 0x80 only. */
  status: number;
  bootable: boolean;
  type: number;
  start: number;
  count: number;
}

function entriesOf(record: Uint8Array): Entry[] {
  const view = new DataView(record.buffer, record.byteOffset, sector);
  return [0, 1, 2, 3].map((index) => {
    const at = 446 + index * 16;
    return {
      status: view.getUint8(at),
      bootable: view.getUint8(at) === 0x80,
      type: view.getUint8(at + 4),
      start: view.getUint32(at + 8, true),
      count: view.getUint32(at + 12, true),
    };
  });
}

/** Says what it is instead, where that can be told. */
const noDisk = async (disk: ByteSource, otherwise: string): Promise<DiskError> =>
  new DiskError('not-a-disk', (await foreignKind(disk)) ?? `This is not a disk image: ${otherwise}`);
const NO_PARTITION = 'its partition table holds no partition.';

const signed = (record: Uint8Array): boolean => record[510] === 0x55 && record[511] === 0xaa;

/**
 * Reads the partition table: the master boot record with its logical partitions (layout: UEFI specification 2.10
 * section 5.2.1), or the GPT that it guards.
 * @throws DiskError when it is not a partitioned disk, when a partition reaches beyond the end, when two overlap,
 *   or when the chain of logical partitions runs in a circle
 */
export async function readPartitions(disk: ByteSource): Promise<Partition[]> {
  if (disk.size < 2 * sector) throw new DiskError('not-a-disk', 'This is too short to be a disk image.');
  const record = await disk.read(0, sector);
  if (!signed(record))
    throw await noDisk(disk, 'the partition table’s signature is missing. Choose the image file itself.');
  const entries = entriesOf(record);
  // What a boot sector or a program has in this place are no entries (UEFI specification 2.10, table 5.2).
  if (entries.some(({ status }) => (status & 0x7f) !== 0))
    throw await noDisk(
      disk,
      'there is code where its partition table should be. Choose the image file itself.',
    );
  // A disc that also starts from a card has a partition over all of it, in which the others lie.
  const optical = await isOptical(disk);
  // A hybrid table repeats some partitions beside the guard; the GPT behind it has them all.
  if (entries.some((entry) => entry.type === protectiveType)) {
    const found = await readGpt(disk);
    if (found.length === 0) throw await noDisk(disk, NO_PARTITION);
    if (!optical) checkOverlaps(found);
    return found;
  }
  const partitions: Partition[] = [];
  const add = (number: number, entry: Entry, base: number): void => {
    const offset = (base + entry.start) * sector;
    const size = entry.count * sector;
    if (base + entry.start === 0 && !optical)
      throw new DiskError(
        'damaged',
        `Partition ${String(number)} begins at byte 0, where the partition table itself lies. Get the image again.`,
      );
    if (offset + size > disk.size)
      throw new DiskError(
        'cut-off',
        `The image is cut off: partition ${String(number)} ends at byte ${String(offset + size)}, ` +
          `the image at ${String(disk.size)}. Get the image again.`,
      );
    partitions.push({ number, type: entry.type, bootable: entry.bootable, offset, size });
  };
  for (const [index, entry] of entries.entries()) {
    if (entry.count === 0 || entry.type === 0) continue;
    if (extendedTypes.has(entry.type)) await readLogical(disk, entry.start, add);
    else add(index + 1, entry, 0);
  }
  if (partitions.length === 0) throw await noDisk(disk, NO_PARTITION);
  if (!optical) checkOverlaps(partitions);
  return partitions;
}

async function readLogical(
  disk: ByteSource,
  extendedStart: number,
  add: (number: number, entry: Entry, base: number) => void,
): Promise<void> {
  const seen = new Set<number>();
  let at = extendedStart;
  for (let number = 5; ; number++) {
    if (seen.has(at)) throw new DiskError('damaged', 'The chain of logical partitions runs in a circle.');
    seen.add(at);
    if ((at + 1) * sector > disk.size)
      throw new DiskError(
        'cut-off',
        'The image is cut off within its logical partitions. Get the image again.',
      );
    const record = await disk.read(at * sector, sector);
    if (!signed(record))
      throw new DiskError('damaged', `Logical partition ${String(number)} has no signature.`);
    const [own, next] = entriesOf(record);
    if (own && own.count > 0) add(number, own, at);
    if (!next || next.count === 0 || !extendedTypes.has(next.type)) return;
    at = extendedStart + next.start;
  }
}

function checkOverlaps(partitions: readonly Partition[]): void {
  const sorted = [...partitions].sort((a, b) => a.offset - b.offset);
  sorted.forEach((partition, index) => {
    const next = sorted[index + 1];
    if (next && partition.offset + partition.size > next.offset)
      throw new DiskError(
        'damaged',
        `Partitions ${String(partition.number)} and ${String(next.number)} overlap. Get the image again.`,
      );
  });
}
