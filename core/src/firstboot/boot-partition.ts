import { SliceSource, type ByteSource } from '../disk/byte-source';
import { DiskError } from '../disk/disk-error';
import { FatVolume } from '../disk/fat/volume';
import { fatPartitions, type InspectedPartition } from '../disk/inspect';
import { MARK_ON_CARD } from '../plan/mark-file';
import { markerFiles, seedFiles } from './file-names';

/** The partition that first-boot files lie on, of several that could be it. */
export interface BootChoice {
  partition: InspectedPartition;
  /** Why this one, for people. */
  reason: string;
}

/** Signs of the partition that is read at the first boot, the surest first (common practice). */
const signs: readonly RegExp[] = [
  new RegExp(`^${MARK_ON_CARD.replace('.', '\\.')}$`),
  new RegExp(`^(${[...seedFiles, ...markerFiles].join('|').replaceAll('.', '\\.')})$`),
  /^(cmdline\.txt|config\.txt|extlinux)$/,
  /^(kernel|vmlinu|zimage|image)/,
];

/** The best sign in the root of a partition: its rank, 0 the surest, and the name that shows it. */
async function signOf(disk: ByteSource, { offset, size }: InspectedPartition): Promise<[number, string]> {
  try {
    const volume = await FatVolume.openReadOnly(new SliceSource(disk, offset, size));
    const names = (await volume.list()).map(({ name }) => name);
    for (const [rank, sign] of signs.entries()) {
      const name = names.find((one) => sign.test(one.toLowerCase()));
      if (name !== undefined) return [rank, name];
    }
  } catch (error) {
    // One that cannot be read shows no sign; it is told where it is read.
    if (!(error instanceof DiskError || error instanceof RangeError)) throw error;
  }
  return [signs.length, ''];
}

/**
 * The partition that first-boot files lie on: the one that a person chose, or else the one that shows the surest sign.
 * @param chosen its number, where a person knows better; one that is no candidate is left aside
 * @returns null when there is no FAT partition
 */
export async function findBoot(
  disk: ByteSource,
  partitions: readonly InspectedPartition[],
  chosen: number | null = null,
): Promise<BootChoice | null> {
  const candidates = fatPartitions(partitions);
  const [first] = candidates;
  if (!first) return null;
  const named = candidates.find(({ number }) => number === chosen);
  if (named) return { partition: named, reason: 'It was chosen by hand.' };
  if (candidates.length === 1) return { partition: first, reason: 'It is the only FAT partition.' };
  let best: { partition: InspectedPartition; rank: number; name: string } | null = null;
  for (const partition of candidates) {
    const [rank, name] = await signOf(disk, partition);
    if (!best || rank < best.rank) best = { partition, rank, name };
  }
  const { partition, name } = best ?? { partition: first, name: '' };
  return {
    partition,
    reason:
      name === ''
        ? 'It is the first FAT partition; none of them shows a file that boards start from.'
        : `It holds ${name}.`,
  };
}
