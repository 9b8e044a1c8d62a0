import { SliceSource, type ByteSource } from '../disk/byte-source';
import { DiskError } from '../disk/disk-error';
import { ExtVolume } from '../disk/ext/volume';
import type { BootView } from './boot-view';
import type { InspectedPartition } from '../disk/inspect';
import { textOrNull } from '../bytes';
import type { SystemFacts } from '../system/facts';
import type { BaseFiles } from './settings';

/** Texts of a boot partition have kilobytes; kernels and device trees are left alone. */
const LARGEST = 64 << 10;
/** Files in folders that matter: a boot loader's list of what it starts. */
const deeper = ['extlinux/extlinux.conf'];
/** Mount point that is taken where the image's own table does not tell. */
const USUAL_MOUNT = '/boot';

export const noBase: BaseFiles = { texts: new Map(), mountedAt: USUAL_MOUNT, system: null };

/**
 * Texts of a boot partition that first-boot files may be merged into.
 * @param further paths that a description names; what lies there has to be a text, or it would be lost
 * @throws DiskError
 */
export async function readBaseTexts(
  boot: BootView,
  further: readonly string[] = [],
): Promise<ReadonlyMap<string, string>> {
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
  const there = new Set([...texts.keys()].map((path) => path.toLowerCase()));
  for (const path of further) {
    if (there.has(path.toLowerCase())) continue;
    const content = await boot.readFile(path, LARGEST + 1).catch((error: unknown) => {
      if (error instanceof DiskError && error.code === 'missing') return null;
      throw error;
    });
    if (!content) continue;
    const text = content.length > LARGEST ? null : textOrNull(content);
    if (text === null)
      throw new DiskError(
        'unsupported',
        `${path} is on the image already and is no text of at most ${String(LARGEST >> 10)} KiB; the first-boot method cannot set anything in it.`,
      );
    texts.set(path, text);
  }
  return texts;
}

/** Files by which a root file system is known (fstab(5), os-release(5)). */
const signs = ['/etc/fstab', '/etc/os-release', '/usr/lib/os-release'];

/** The first root file system that can be read, with its place; null when there is none. */
export async function findRoot(
  disk: ByteSource,
  partitions: readonly InspectedPartition[],
): Promise<{ volume: ExtVolume; offset: number; size: number } | null> {
  for (const { fileSystem, offset, size } of partitions) {
    if (fileSystem !== 'ext') continue;
    try {
      const volume = await ExtVolume.open(new SliceSource(disk, offset, size));
      for (const sign of signs) if (await volume.readFile(sign, 1)) return { volume, offset, size };
    } catch (error) {
      if (!(error instanceof DiskError || error instanceof RangeError)) throw error;
    }
  }
  return null;
}

/** The same without its place. */
export const openRoot = async (
  disk: ByteSource,
  partitions: readonly InspectedPartition[],
): Promise<ExtVolume | null> => (await findRoot(disk, partitions))?.volume ?? null;

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

/**
 * Everything of an image that first-boot files are merged into.
 * @param system what its system can do, where that is known already
 * @param further paths that the description of an own method names
 * @throws DiskError
 */
export async function readBase(
  boot: BootView,
  root: ExtVolume | null,
  system: SystemFacts | null,
  further: readonly string[] = [],
): Promise<BaseFiles> {
  return {
    texts: await readBaseTexts(boot, further),
    mountedAt: (await bootMountOf(root)) ?? USUAL_MOUNT,
    system,
  };
}
