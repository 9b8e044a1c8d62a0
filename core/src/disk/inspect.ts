import { SliceSource, type ByteSource } from './byte-source';
import { DiskError } from './disk-error';
import { FatVolume } from './fat/volume';
import { readPartitions, type Partition } from './mbr';

/** What a partition holds, by its signature and not by its type octet. */
export type FileSystem = 'fat12' | 'fat16' | 'fat32' | 'ext' | 'swap' | 'unknown';

export interface InspectedPartition extends Partition {
  fileSystem: FileSystem;
  label: string;
}

/** Tells a file system by its signature (FAT: see geometry; ext: superblock magic 0xEF53 at 1080). */
async function identify(source: ByteSource): Promise<{ fileSystem: FileSystem; label: string }> {
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
  return { fileSystem: 'unknown', label: '' };
}

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

/** The partition that a board starts from and reads its first-boot files on: the first FAT one. */
export function bootPartition(partitions: readonly InspectedPartition[]): InspectedPartition | null {
  return partitions.find((partition) => partition.fileSystem.startsWith('fat')) ?? null;
}
