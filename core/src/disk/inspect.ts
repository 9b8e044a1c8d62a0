import { SliceSource, type ByteSource } from './byte-source';
import { DiskError } from './disk-error';
import { FatVolume } from './fat/volume';
import { readPartitions } from './mbr';
import type { Partition } from './partition';

/** What a partition holds, by its signature and not by its type octet. */
export const fileSystems = [
  'fat12',
  'fat16',
  'fat32',
  'exfat',
  'ext',
  'iso9660',
  'swap',
  'ntfs',
  'btrfs',
  'xfs',
  'f2fs',
  'hfs+',
  'apfs',
  'luks',
  'lvm',
  'unknown',
] as const;
export type FileSystem = (typeof fileSystems)[number];

export interface InspectedPartition extends Partition {
  fileSystem: FileSystem;
  label: string;
}

/**
 * Signatures of file systems that are only named here, by their place from the start: NTFS and exFAT have theirs in
 * the boot sector, LUKS, XFS and APFS in the first sector, LVM in the second, HFS+ and F2FS at 1024 octets, btrfs at
 * 64 KiB, ISO 9660 in the seventeenth sector of 2048 octets (the places are those that libblkid looks at; checked against blkid in the tests).
 */
const signatures: [FileSystem, number, readonly number[]][] = [
  ['iso9660', 32_769, [0x43, 0x44, 0x30, 0x30, 0x31]],
  ['ntfs', 3, [0x4e, 0x54, 0x46, 0x53, 0x20, 0x20, 0x20, 0x20]],
  ['exfat', 3, [0x45, 0x58, 0x46, 0x41, 0x54, 0x20, 0x20, 0x20]],
  ['luks', 0, [0x4c, 0x55, 0x4b, 0x53, 0xba, 0xbe]],
  ['xfs', 0, [0x58, 0x46, 0x53, 0x42]],
  ['apfs', 32, [0x4e, 0x58, 0x53, 0x42]],
  ['lvm', 512, [0x4c, 0x41, 0x42, 0x45, 0x4c, 0x4f, 0x4e, 0x45]],
  ['hfs+', 1024, [0x48, 0x2b]],
  ['hfs+', 1024, [0x48, 0x58]],
  ['f2fs', 1024, [0x10, 0x20, 0xf5, 0xf2]],
  ['btrfs', 65_600, [0x5f, 0x42, 0x48, 0x52, 0x66, 0x53, 0x5f, 0x4d]],
];

async function bySignature(source: ByteSource): Promise<FileSystem> {
  for (const [fileSystem, at, magic] of signatures) {
    if (source.size < at + magic.length) continue;
    const found = await source.read(at, magic.length);
    if (magic.every((value, index) => found[index] === value)) return fileSystem;
  }
  return 'unknown';
}

/**
 * Tells a file system, which may fill a partition or a whole medium, by its signature (FAT: see geometry; ext:
 * superblock magic 0xEF53 at 1080).
 */
export async function identify(source: ByteSource): Promise<{ fileSystem: FileSystem; label: string }> {
  try {
    const { geometry } = await FatVolume.openReadOnly(source);
    return { fileSystem: `fat${geometry.bits}`, label: geometry.label };
  } catch (error) {
    if (!(error instanceof DiskError)) throw error;
  }
  if (source.size >= 4096) {
    const head = await source.read(0, 4096);
    if (head[1080] === 0x53 && head[1081] === 0xef) {
      const label = String.fromCharCode(...head.subarray(1144, 1160)).replace(/\0.*$/s, '');
      return { fileSystem: 'ext', label };
    }
    const magic = String.fromCharCode(...head.subarray(4086, 4096));
    if (magic === 'SWAPSPACE2') return { fileSystem: 'swap', label: '' };
  }
  return { fileSystem: await bySignature(source), label: '' };
}

/** The FAT ones among partitions. */
export const fatPartitions = (partitions: readonly InspectedPartition[]): InspectedPartition[] =>
  partitions.filter(({ fileSystem }) => fileSystem.startsWith('fat'));

/** Partitions of a disk with what they hold. @throws DiskError as `readPartitions` */
export async function inspectDisk(disk: ByteSource): Promise<InspectedPartition[]> {
  const partitions = await readPartitions(disk);
  const inspected: InspectedPartition[] = [];
  for (const partition of partitions) {
    const found = await identify(new SliceSource(disk, partition.offset, partition.size));
    inspected.push({ ...partition, ...found });
  }
  return inspected;
}
