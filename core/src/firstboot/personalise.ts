import { SliceSource, type ByteSource } from '../disk/byte-source';
import { FatVolume } from '../disk/fat/volume';
import { Overlay, shiftPatches, type Patch } from '../disk/overlay';
import type { CardFile } from './settings';

/** Where the boot partition lies on the disk, in octets. */
export interface BootRange {
  offset: number;
  size: number;
}

/**
 * Puts files onto a boot partition through an overlay.
 * @param bootVolume the boot partition alone
 * @returns what has to be laid over the disk, offsets from the disk's start
 * @throws DiskError when the partition is damaged or the files do not fit
 */
export async function personalise(
  bootVolume: ByteSource,
  range: BootRange,
  files: readonly CardFile[],
): Promise<Patch[]> {
  const overlay = new Overlay(bootVolume);
  const volume = await FatVolume.open(overlay);
  for (const file of files) await volume.writeFile(file.path, file.content);
  return shiftPatches(overlay.patches(), range.offset);
}

/** The boot partition of a whole disk as a source of its own. */
export const bootVolumeOf = (disk: ByteSource, range: BootRange): ByteSource =>
  new SliceSource(disk, range.offset, range.size);
