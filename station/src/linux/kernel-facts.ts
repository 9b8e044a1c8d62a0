import { readFile } from 'node:fs/promises';
import { join } from 'node:path';

/** What the kernel tells of a block device beside lsblk (Documentation/ABI in its source). */
export interface KernelFacts {
  /**
   * Number that grows whenever a medium is changed (`/sys/block/DISK/diskseq`, Linux 5.15 and newer); null where the
   * kernel does not count.
   */
  changes: string | null;
  /** The card's own identification as its controller reads it (`device/cid`), 32 hexadecimal digits; empty for others. */
  cid: string;
  /** Whether it is soldered flash and not a card (`device/type`). */
  soldered: boolean;
}

const textOf = (path: string): Promise<string> =>
  readFile(path, 'latin1').then(
    (text) => text.trim(),
    () => '',
  );

/** @param name of the whole disk, as `mmcblk0` */
export async function kernelFacts(name: string): Promise<KernelFacts> {
  const folder = join('/sys/block', name);
  const [changes, cid, type] = await Promise.all([
    textOf(join(folder, 'diskseq')),
    textOf(join(folder, 'device/cid')),
    textOf(join(folder, 'device/type')),
  ]);
  return {
    changes: /^\d+$/.test(changes) ? changes : null,
    cid: /^[0-9a-f]{32}$/i.test(cid) ? cid.toLowerCase() : '',
    soldered: type === 'MMC',
  };
}
