import { CRC32C_START, crc32c } from '../crc32c';
import type { ByteSource } from '../byte-source';
import { DiskError } from '../disk-error';

/**
 * How an ext2, ext3 or ext4 file system is laid out. Source for all of this folder: Linux kernel documentation, "ext4
 * Data Structures and Algorithms".
 */

const SUPERBLOCK = 1024;
const MAGIC = 0xef53;

/** Bits of `s_feature_compat`. */
const SPARSE_SUPER2 = 0x200;
/** Bits of `s_feature_incompat`. */
const COMPRESSION = 0x1;
const RECOVER = 0x4;
const JOURNAL_DEVICE = 0x8;
const META_BG = 0x10;
const WIDE = 0x80;
const CHECKSUM_SEED = 0x2000;
/** Bits of `s_feature_ro_compat`. */
const SPARSE_SUPER = 0x1;
const METADATA_CHECKSUMS = 0x400;

export interface ExtLayout {
  blockSize: number;
  blockCount: number;
  inodeCount: number;
  inodesPerGroup: number;
  inodeSize: number;
  descriptorSize: number;
  /** Beginning of all checksums; null where the file system has none. */
  seed: number | null;
  label: string;
  /** When it was written to last, milliseconds since 1970; 0 where it does not tell. */
  writtenAt: number;
  /** Whether the journal holds changes that were not put into their places: it was not cleanly unmounted. */
  needsRecovery: boolean;
  /** Where a group's descriptor lies, in octets. */
  descriptorAt(group: number): number;
}

export const damaged = (): DiskError => new DiskError('damaged', 'The root file system is damaged.');
const missing = (): DiskError => new DiskError('missing', 'There is no ext file system here.');

const isPower = (value: number, base: number): boolean => {
  let power = base;
  while (power < value) power *= base;
  return power === value;
};

/** @throws DiskError when there is none, when it is damaged, or when it is of a kind that nothing can be read of */
export async function readSuperblock(source: ByteSource): Promise<ExtLayout> {
  if (source.size < SUPERBLOCK * 2) throw missing();
  const bytes = await source.read(SUPERBLOCK, SUPERBLOCK);
  const view = new DataView(bytes.buffer, bytes.byteOffset, SUPERBLOCK);
  const u32 = (at: number): number => view.getUint32(at, true);
  if (view.getUint16(0x38, true) !== MAGIC) throw missing();

  const revision = u32(0x4c);
  const [compatible, incompatible, readOnly] = revision === 0 ? [0, 0, 0] : [u32(0x5c), u32(0x60), u32(0x64)];
  if (incompatible & (COMPRESSION | JOURNAL_DEVICE))
    throw new DiskError(
      'unsupported',
      'This ext file system is compressed, or only the journal of another one.',
    );
  const checked = (readOnly & METADATA_CHECKSUMS) !== 0;
  if (checked && u32(0x3fc) !== crc32c(CRC32C_START, bytes.subarray(0, 0x3fc))) throw damaged();

  const logBlock = u32(0x18);
  const inodeSize = revision === 0 ? 128 : view.getUint16(0x58, true);
  const inodesPerGroup = u32(0x28);
  const blocksPerGroup = u32(0x20);
  const wide = (incompatible & WIDE) !== 0;
  if (logBlock > 6 || inodeSize < 128 || inodesPerGroup === 0 || blocksPerGroup === 0) throw damaged();
  const blockSize = 1024 << logBlock;
  const descriptorSize = wide ? Math.max(32, view.getUint16(0xfe, true)) : 32;
  if (inodeSize > blockSize || descriptorSize > blockSize) throw damaged();

  const firstDataBlock = u32(0x14);
  const firstMeta = incompatible & META_BG ? u32(0x104) : Infinity;
  const backups = [u32(0x24c), u32(0x250)];
  const hasSuperblock = (group: number): boolean => {
    if (group === 0) return true;
    if (compatible & SPARSE_SUPER2) return backups.includes(group);
    if (!(readOnly & SPARSE_SUPER) || group === 1) return true;
    return isPower(group, 3) || isPower(group, 5) || isPower(group, 7);
  };
  // The superblock of the first group lies in block 1 where blocks have 1024 octets, whatever the first data block.
  const inFirst = blockSize === 1024 ? 1 : 0;
  const perBlock = Math.floor(blockSize / descriptorSize);

  return {
    blockSize,
    blockCount: u32(4) + (wide ? u32(0x150) * 2 ** 32 : 0),
    inodeCount: u32(0),
    inodesPerGroup,
    inodeSize,
    descriptorSize,
    seed: checked
      ? incompatible & CHECKSUM_SEED
        ? u32(0x270)
        : crc32c(CRC32C_START, bytes.subarray(0x68, 0x78))
      : null,
    label: new TextDecoder('latin1').decode(bytes.subarray(0x78, 0x88)).replace(/\0.*$/s, ''),
    writtenAt: (u32(0x30) || u32(0x108)) * 1000,
    needsRecovery: (incompatible & RECOVER) !== 0,
    descriptorAt(group) {
      const block = Math.floor(group / perBlock);
      const within = (group % perBlock) * descriptorSize;
      if (block < firstMeta) return (inFirst + 1 + block) * blockSize + within;
      // Descriptors of a meta group lie in the first of its groups, behind that one's superblock.
      const first = block * perBlock;
      const start = firstDataBlock + first * blocksPerGroup;
      const head = hasSuperblock(first) ? 1 : 0;
      const shift = blockSize === 1024 && block === 0 && firstDataBlock === 0 ? 1 : 0;
      return (start + head + shift) * blockSize + within;
    },
  };
}
