import { SliceSource, type ByteSource } from '../disk/byte-source';
import { DiskError } from '../disk/disk-error';
import { ExtVolume } from '../disk/ext/volume';
import type { FatVolume } from '../disk/fat/volume';
import type { InspectedPartition } from '../disk/inspect';
import { textOrNull } from '../bytes';
import type { BaseFiles } from './method';

/** Texts of a boot partition have kilobytes; kernels and device trees are left alone. */
const LARGEST = 64 << 10;
/** Files in folders that matter: a boot loader's list of what it starts. */
const deeper = ['extlinux/extlinux.conf'];
/** Mount point that is taken where the image's own table does not tell. */
const USUAL_MOUNT = '/boot';

export const noBase: BaseFiles = { texts: new Map(), mountedAt: USUAL_MOUNT };

/** Texts of a boot partition that first-boot files may be merged into. @throws DiskError */
export async function readBaseTexts(boot: FatVolume): Promise<ReadonlyMap<string, string>> {
  const texts = new Map<string, string>();
  const paths = (await boot.list())
    .filter(({ folder, size }) => !folder && size <= LARGEST)
    .map(({ name }) => name);
  for (const path of [...paths, ...deeper]) {
    // A folder that is missing is no fault here.
    const content = await boot.readFile(path).catch((error: unknown) => {
      if (error instanceof DiskError) return null;
      throw error;
    });
    if (!content) continue;
    const text = textOrNull(content);
    if (text !== null && !text.includes('\0')) texts.set(path, text);
  }
  return texts;
}

/** Files by which a root file system is known (fstab(5), os-release(5)). */
const signs = ['/etc/fstab', '/etc/os-release', '/usr/lib/os-release'];

/** The first root file system that can be read, or null. */
export async function openRoot(
  disk: ByteSource,
  partitions: readonly InspectedPartition[],
): Promise<ExtVolume | null> {
  for (const { fileSystem, offset, size } of partitions) {
    if (fileSystem !== 'ext') continue;
    try {
      const volume = await ExtVolume.open(new SliceSource(disk, offset, size));
      for (const sign of signs) if (await volume.readFile(sign, 1)) return volume;
    } catch (error) {
      if (!(error instanceof DiskError || error instanceof RangeError)) throw error;
    }
  }
  return null;
}

/**
 * Where a system mounts its boot partition: the FAT file system below /boot in its table (fstab(5)).
 * @returns null when its table does not tell
 */
export async function bootMountOf(root: ExtVolume | null): Promise<string | null> {
  const table = root ? await root.readFile('/etc/fstab') : null;
  for (const line of new TextDecoder().decode(table ?? new Uint8Array()).split('\n')) {
    const [, point = '', type = ''] = line.trim().split(/\s+/);
    if (!line.trim().startsWith('#') && type === 'vfat' && /^\/boot(\/[a-z0-9-]+)?$/.test(point))
      return point;
  }
  return null;
}

/** Everything of an image that first-boot files are merged into. @throws DiskError */
export async function readBase(boot: FatVolume, root: ExtVolume | null): Promise<BaseFiles> {
  return { texts: await readBaseTexts(boot), mountedAt: (await bootMountOf(root)) ?? USUAL_MOUNT };
}
