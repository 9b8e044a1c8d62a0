import {
  DiskError,
  fatPartitions,
  FatVolume,
  inspectDisk,
  SliceSource,
  type ByteSource,
} from '@nest-mark/core/disk';
import { boardFileOf, readBoardFile } from './read-board-file';
import { readMarkers } from './read-markers';
import type { FirstBoot } from '../system/board-system';
import { bootFiles, mountPoint, readScript, scriptOf } from './read-script';
import { readSeed } from './read-seed';
import { readTemplate, templateOf } from './read-template';
import { rootFiles } from './root-files';
import { BootFailure, readText, type BoardSettings, type CardFiles } from './settings';

async function bootVolume(card: ByteSource): Promise<CardFiles> {
  try {
    const partitions = await inspectDisk(card);
    const fat = fatPartitions(partitions);
    const [first] = fat;
    if (!first) {
      const root = await rootFiles(card, partitions);
      if (root) return root;
      throw new BootFailure('the card has neither a FAT boot partition nor a root that could be read');
    }
    // Its first stage looks for a boot loader's files on each, in order.
    for (const { offset, size } of fat) {
      const volume = await FatVolume.openReadOnly(new SliceSource(card, offset, size));
      const names = (await volume.list()).map(({ name }) => name.toLowerCase());
      if (names.includes('extlinux') || names.includes('cmdline.txt')) return volume;
    }
    return await FatVolume.openReadOnly(new SliceSource(card, first.offset, first.size));
  } catch (error) {
    if (error instanceof DiskError) throw new BootFailure(`the card does not start: ${error.message}`);
    throw error;
  }
}

/**
 * The boot loader needs a kernel: the one that extlinux.conf names (Boot Loader Specification family), or one beside a
 * command line of its own.
 */
async function startKernel(volume: CardFiles): Promise<void> {
  const text = await readText(volume, 'extlinux/extlinux.conf').catch(() => null);
  if (text === null && (await readText(volume, 'cmdline.txt')) !== null) {
    const kernel = (await volume.list()).some(({ name }) => /^(kernel|vmlinuz)/i.test(name));
    if (!kernel) throw new BootFailure('there is no kernel on the boot partition');
    return;
  }
  if (!text) throw new BootFailure('the boot loader’s file extlinux/extlinux.conf is missing');
  const kernel = /^\s*(?:kernel|linux)\s+(\S+)/im.exec(text)?.[1]?.replace(/^(\.\.)?\//, '');
  if (!kernel || !(await volume.readFile(kernel, 1)))
    throw new BootFailure('the kernel that the boot loader names is missing');
}

/**
 * Boots from a card's octets, by the way that the card's image takes its settings.
 * @param start whether the kernel has to be there too; left out where only the settings are of interest
 * @throws BootFailure when the board would not even start
 */
export async function readCard(card: ByteSource, start = { kernel: true }): Promise<BoardSettings> {
  const volume = await bootVolume(card);
  if (start.kernel) await startKernel(volume);
  const script = await scriptOf(volume);
  if (script !== null) return readScript(volume, script);
  const own = await boardFileOf(volume);
  if (own !== null) return readBoardFile(volume, own);
  const names = (await volume.list()).map(({ name }) => name);
  const seeded =
    volume.label.toUpperCase() === 'CIDATA' || names.includes('meta-data') || names.includes('user-data');
  if (seeded) return readSeed(volume);
  const template = await templateOf(volume, names);
  return template === null ? readMarkers(volume, names) : readTemplate(template);
}

/** What a board's system is made from at its first boot. @throws BootFailure */
export async function readFirstBoot(card: ByteSource, settings: BoardSettings): Promise<FirstBoot> {
  const volume = await bootVolume(card);
  const start = await scriptOf(volume);
  return {
    mountedAt: start === null ? '/boot/firmware' : mountPoint(start.script),
    files: await bootFiles(volume),
    script: start?.script ?? null,
    settings,
    cardSize: card.size,
  };
}
