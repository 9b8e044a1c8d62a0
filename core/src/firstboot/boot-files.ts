import { equalBytes, textOrNull } from '../bytes';
import { SliceSource, type ByteSource } from '../disk/byte-source';
import { DiskError } from '../disk/disk-error';
import type { ExtVolume } from '../disk/ext/volume';
import { FatVolume } from '../disk/fat/volume';
import { inspectDisk } from '../disk/inspect';
import { findBoot } from './boot-partition';
import type { BootFile } from '../formats/finding';
import { RootBoot, type BootView } from './boot-view';
import { bootMountOf, openRoot } from './base-files';
import { markerFiles, RUN_ONCE_FOLDER, RUN_ONCE_SCRIPT, seedFiles } from './file-names';

/** What was found on a card, an image or in a folder. */
export interface BootFiles {
  /** Every name in the root of the boot partition. */
  names: string[];
  files: BootFile[];
  /** Label of the boot partition; empty for a folder. */
  label: string;
  /** Instance id with which the board has booted, from its root file system. */
  bootedAs: string | null;
  /** Whether it booted with the user-data that are on the card now; null where its own copy of them is not there. */
  bootedWith: 'these' | 'others' | null;
  /** Where the system mounts its boot partition; null where its table is not there to look at. */
  mountedAt: string | null;
  /** First-boot files that lie on the root file system, where no board looks for them. */
  elsewhere: string[];
}

/** Largest file that is read; first-boot files have kilobytes. */
const LARGEST = 512 << 10;
const worthReading =
  /^(user-data|meta-data|network-config|ssh|userconf|nest-mark|run-once\.log|id_|.*\.(pem|key|sh|txt|conf|json)$)/i;
/** Folders whose files matter as well: a boot loader's list, and the settings of a script. */
const folders = ['extlinux', RUN_ONCE_FOLDER];

/**
 * Reads what matters of a card or an image; of a large image only what is needed.
 * @param paths further files, as the descriptions of own methods name them
 * @throws DiskError when it is no disk, or has no FAT boot partition
 */
export async function readBootFiles(disk: ByteSource, paths: readonly string[] = []): Promise<BootFiles> {
  const partitions = await inspectDisk(disk);
  const boot = (await findBoot(disk, partitions))?.partition ?? null;
  const root = await openRoot(disk, partitions);
  const volume = boot
    ? await FatVolume.openReadOnly(new SliceSource(disk, boot.offset, boot.size))
    : root && new RootBoot(root);
  if (!volume)
    throw new DiskError(
      'missing',
      'There is neither a FAT boot partition nor an ext root on it, so no first-boot files could act.',
    );
  const entries = await volume.list();
  const files: BootFile[] = [];
  for (const { name, folder, size } of entries)
    if (!folder && size <= LARGEST && worthReading.test(name))
      files.push({ name, content: (await volume.readFile(name)) ?? new Uint8Array() });
  for (const { name, folder } of entries)
    if (folder && folders.includes(name.toLowerCase())) files.push(...(await filesIn(volume, name)));
  files.push(...(await furtherFiles(volume, paths, files)));
  return {
    names: entries.map(({ name }) => name),
    files,
    label: volume.label,
    bootedAs: root && (await bootedId(root)),
    bootedWith: root && (await bootedWith(root, files)),
    mountedAt: root && (await bootMountOf(root)),
    // Without a boot partition they belong there.
    elsewhere: root && boot ? await lostFiles(root) : [],
  };
}

/** Files by their paths, but for those that were read already; a folder that is not there holds none. */
async function furtherFiles(
  volume: BootView,
  paths: readonly string[],
  read: readonly BootFile[],
): Promise<BootFile[]> {
  const files: BootFile[] = [];
  const known = new Set(read.map(({ name }) => name.toLowerCase()));
  for (const path of paths) {
    if (known.has(path.toLowerCase())) continue;
    known.add(path.toLowerCase());
    const content = await volume.readFile(path, LARGEST).catch((error: unknown) => {
      if (error instanceof DiskError) return null;
      throw error;
    });
    if (content) files.push({ name: path, content });
  }
  return files;
}

/** First-boot files that were put onto the root file system, which some workstations show as well. */
async function lostFiles(root: ExtVolume): Promise<string[]> {
  const found: string[] = [];
  for (const folder of ['', '/boot'])
    for (const name of [...seedFiles, ...markerFiles, RUN_ONCE_SCRIPT])
      if (await root.readFile(`${folder}/${name}`, 1)) found.push(`${folder}/${name}`);
  return found;
}

async function filesIn(volume: BootView, path: string): Promise<BootFile[]> {
  const files: BootFile[] = [];
  for (const { name, folder, size } of await volume.list(path)) {
    const inner = `${path}/${name}`;
    if (folder) files.push(...(await filesIn(volume, inner)));
    else if (size <= LARGEST)
      files.push({ name: inner, content: (await volume.readFile(inner)) ?? new Uint8Array() });
  }
  return files;
}

/** The id of the seed that was taken last (cloud-init documentation, "instance data": /var/lib/cloud/data). */
async function bootedId(root: ExtVolume): Promise<string | null> {
  try {
    const bytes = await root.readFile('/var/lib/cloud/data/instance-id', 256);
    const text = bytes && new TextDecoder().decode(bytes).trim();
    return text ? text : null;
  } catch (error) {
    if (error instanceof DiskError || error instanceof RangeError) return null;
    throw error;
  }
}

/** cloud-init keeps the user-data that it took (cloud-init documentation, "instance data": /var/lib/cloud/instance). */
async function bootedWith(root: ExtVolume, files: readonly BootFile[]): Promise<BootFiles['bootedWith']> {
  const now = files.find(({ name }) => name.toLowerCase() === 'user-data')?.content;
  try {
    const taken = await root.readFile('/var/lib/cloud/instance/user-data.txt', LARGEST);
    if (!taken || !now) return null;
    return equalBytes(taken, now) ? 'these' : 'others';
  } catch (error) {
    if (error instanceof DiskError || error instanceof RangeError) return null;
    throw error;
  }
}

/** The files by their names in small letters. */
export const byName = ({ files }: Pick<BootFiles, 'files'>): Map<string, BootFile> =>
  new Map(files.map((file) => [file.name.toLowerCase(), file]));

/** Whether a name stands in the root of the boot partition, in capitals or not. */
export const hasName = ({ names }: Pick<BootFiles, 'names'>, wanted: string): boolean =>
  names.some((name) => name.toLowerCase() === wanted);

/** Their texts by name in small letters; empty where a file is no text. */
export const textsOf = ({ files }: Pick<BootFiles, 'files'>): Map<string, string> =>
  new Map(files.map(({ name, content }) => [name.toLowerCase(), textOrNull(content) ?? '']));
