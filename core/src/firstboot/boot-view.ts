import { DiskError } from '../disk/disk-error';
import type { ExtVolume } from '../disk/ext/volume';
import { seedFiles } from './file-names';

/** What first-boot files lie on: a FAT boot partition, or the folders of a root file system that stand for one. */
export interface BootView {
  readonly label: string;
  /** @throws DiskError when there is no such folder */
  list(path?: string): Promise<{ name: string; folder: boolean; size: number }[]>;
  /** @returns null when there is no such file */
  readFile(path: string, limit?: number): Promise<Uint8Array | null>;
}

/** Where cloud-init looks for a seed without any partition of its own (cloud-init documentation, "NoCloud"). */
export const SEED_FOLDER = '/var/lib/cloud/seed/nocloud';

/** Names of a folder that are looked at. */
const MOST_NAMES = 500;

/**
 * Where a first-boot file lies on an image that has no FAT partition.
 * @param path from the root of what would be the boot partition; from `/` it is one of the root file system anyway
 */
export const rootPathOf = (path: string): string =>
  path.startsWith('/')
    ? path
    : (seedFiles as readonly string[]).includes(path)
      ? `${SEED_FOLDER}/${path}`
      : `/boot/${path}`;

/** An ext root file system as what its first-boot files lie on: its /boot, and the folder of a seed. */
export class RootBoot implements BootView {
  readonly label = '';

  constructor(private readonly root: ExtVolume) {}

  async list(path = ''): Promise<{ name: string; folder: boolean; size: number }[]> {
    const folders = path === '' ? ['/boot', SEED_FOLDER] : [rootPathOf(path)];
    const entries = new Map<string, { name: string; folder: boolean; size: number }>();
    for (const folder of folders)
      for (const name of (await this.root.list(folder)).slice(0, MOST_NAMES)) {
        const facts = await this.root.stat(`${folder}/${name}`);
        if (facts && !entries.has(name))
          entries.set(name, { name, folder: facts.kind === 'folder', size: facts.size });
      }
    if (path !== '' && entries.size === 0 && (await this.root.stat(rootPathOf(path)))?.kind !== 'folder')
      throw new DiskError('missing', `There is no folder ${path}.`);
    return [...entries.values()];
  }

  readFile(path: string, limit?: number): Promise<Uint8Array | null> {
    return this.root.readFile(rootPathOf(path), limit);
  }
}
