import { createHash } from 'node:crypto';
import { mkdir, open, rm, stat, statfs } from 'node:fs/promises';
import { join } from 'node:path';
import {
  bothSizes,
  detectMethod,
  lookAtSystem,
  openRoot,
  imageClues,
  FatVolume,
  findBoot,
  inspectDisk,
  RootBoot,
  SliceSource,
  type FirstBootMethodId,
  type ImageClue,
  type InspectedPartition,
  type SystemFacts,
} from '@nest-mark/core';
import { DEFAULT_LARGEST } from '../guards';
import { BLOCK_SIZE, blockDigest } from '../writer/digest';
import { openRaw, type BaseImage } from './base-image';
import { FileSource } from './file-source';
import type { Origin } from './web-request';
import { ImageError, packingOf, unpack, type Packing } from './unpack';

/** What is known of an image after it was read once from end to end. */
export interface ShelvedImage {
  packing: Packing;
  packedSize: number;
  packedSha256: string;
  rawSize: number;
  rawSha256: string;
  /** Octets in a block of the digest list. */
  blockSize: number;
  /** Digests of the unpacked blocks. */
  blockDigests: string[];
  /** Octets that the shelf's own copy takes on the disk; holes take none. */
  keptSize: number;
  partitions: InspectedPartition[];
  /** Number of the partition that first-boot files lie on, and why; earlier versions took the first FAT one. */
  bootPartition?: number | null;
  bootReason?: string;
  bootOffset: number | null;
  bootSize: number | null;
  method: FirstBootMethodId;
  methodReason: string;
  /** What lies in the root of the boot partition. */
  bootFiles: { name: string; size: number; folder: boolean }[];
  /** What the image's octets tell of it. */
  seen: ImageClue[];
  /** What its system can do; earlier versions did not look. */
  system?: SystemFacts;
  /** What the server said of an image that came from an address. */
  origin?: Origin;
}

/** Files of an image on the shelf: the image unpacked with its holes. */
export const shelfFiles = (folder: string): { image: string } => ({ image: join(folder, 'unpacked.img') });

/** An image on the shelf as what a gang is fed from. */
export const shelvedBase = (
  folder: string,
  facts: Pick<ShelvedImage, 'rawSize' | 'blockSize' | 'blockDigests'>,
): BaseImage => ({
  size: facts.rawSize,
  blockSize: facts.blockSize,
  blockDigests: facts.blockDigests,
  open: () => openRaw(shelfFiles(folder).image),
});

/** What the shelf takes: no image beyond any card, and never the last of the disk. */
export interface ShelfLimits {
  /** Octets that an image may unpack to. */
  largest: number;
  /** Octets that stay free on the disk. */
  leaveFree: number;
  blockSize: number;
}
export const usualLimits: ShelfLimits = { largest: DEFAULT_LARGEST, leaveFree: 512e6, blockSize: BLOCK_SIZE };

const full = (): ImageError =>
  new ImageError('full', 'The disk is full. Make room, then add the image again. Nothing else was changed.');

/** @throws ImageError when the reading was stopped */
function goOn(signal: AbortSignal | undefined): void {
  if (signal?.aborted) throw new ImageError('stopped', 'The reading of this image was stopped.');
}

async function sha256OfFile(
  path: string,
  signal: AbortSignal | undefined,
): Promise<{ digest: string; size: number }> {
  const hash = createHash('sha256');
  let size = 0;
  for await (const part of unpack(path, 'raw')) {
    goOn(signal);
    hash.update(part);
    size += part.length;
  }
  return { digest: hash.digest('hex'), size };
}

/** Files of the boot partition that are listed. */
const FILES_TOLD = 200;

/** Blocks between two looks at the disk's free room. */
const LOOK_EVERY = 16;

/** Unpacks into a sparse file while taking digests. */
async function unpackTo(
  path: string,
  packing: Packing,
  target: string,
  limits: ShelfLimits,
  onProgress: (bytes: number) => void,
): Promise<Pick<ShelvedImage, 'rawSize' | 'rawSha256' | 'blockDigests'>> {
  const digest = await blockDigest();
  const whole = createHash('sha256');
  const blockDigests: string[] = [];
  const block = Buffer.alloc(limits.blockSize);
  const zeros = Buffer.alloc(limits.blockSize);
  let filled = 0;
  let rawSize = 0;
  const file = await open(target, 'w');
  const put = async (): Promise<void> => {
    const used = block.subarray(0, filled);
    if (blockDigests.length % LOOK_EVERY === 0) {
      const disk = await statfs(target);
      if (disk.bavail * disk.bsize < limits.leaveFree) throw full();
    }
    blockDigests.push(digest(used));
    if (!used.equals(zeros.subarray(0, filled))) await file.write(used, 0, filled, rawSize);
    rawSize += filled;
    filled = 0;
    // A small file can unpack to more than all the cards of the world hold.
    if (rawSize > limits.largest)
      throw new ImageError(
        'large',
        `The image unpacks to more than ${bothSizes(limits.largest)}, which no card allowed here holds. Choose another one.`,
      );
    onProgress(rawSize);
  };
  try {
    for await (const part of unpack(path, packing)) {
      whole.update(part);
      for (let at = 0; at < part.length;) {
        const count = Math.min(part.length - at, limits.blockSize - filled);
        part.copy(block, filled, at, at + count);
        filled += count;
        at += count;
        if (filled === limits.blockSize) await put();
      }
    }
    if (filled > 0) await put();
    await file.truncate(rawSize);
    await file.sync();
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOSPC') throw full();
    throw error;
  } finally {
    await file.close();
  }
  return { rawSize, rawSha256: whole.digest('hex'), blockDigests };
}

/**
 * Reads an image from end to end, checks it, and keeps it unpacked in a folder of the shelf. Unpacking is the slow part of writing, so it is done once.
 * Nothing is left behind when it fails.
 * @param published SHA-256 as published, of the packed or of the unpacked file; empty when there is none
 * @param signal stops the reading where it stands
 * @throws ImageError, DiskError
 */
export async function shelveImage(
  path: string,
  folder: string,
  published: string,
  onProgress: (rawBytes: number) => void = () => undefined,
  limits: ShelfLimits = usualLimits,
  signal?: AbortSignal,
): Promise<ShelvedImage> {
  const packing = await packingOf(path);
  const { digest: packedSha256, size: packedSize } = await sha256OfFile(path, signal);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const files = shelfFiles(folder);
  try {
    const raw = await unpackTo(path, packing, files.image, limits, (bytes) => {
      goOn(signal);
      onProgress(bytes);
    });
    const wanted = published.trim().toLowerCase();
    if (wanted && wanted !== packedSha256 && wanted !== raw.rawSha256)
      throw new ImageError(
        'digest',
        `The image is not the published one: its SHA-256 is ${packedSha256}, published is ${wanted}. Get it again.`,
      );
    const source = await FileSource.open(files.image);
    try {
      const partitions = await inspectDisk(source);
      const found = {
        ...(await lookInside(source, partitions, null)),
        seen: await imageClues(source, partitions),
      };
      // Counted in units of 512 octets, whatever the disk's own (stat(2)).
      const keptSize = (await stat(files.image)).blocks * 512;
      const { blockSize } = limits;
      return {
        packing,
        packedSize,
        packedSha256,
        ...raw,
        blockSize,
        keptSize,
        partitions,
        ...found,
      };
    } finally {
      await source.close();
    }
  } catch (error) {
    await rm(folder, { recursive: true, force: true });
    throw error;
  }
}

/** What of an image depends on which partition its first-boot files lie on. */
export type BootFacts = Pick<
  ShelvedImage,
  | 'bootPartition'
  | 'bootReason'
  | 'bootOffset'
  | 'bootSize'
  | 'method'
  | 'methodReason'
  | 'bootFiles'
  | 'system'
>;

async function lookInside(
  disk: FileSource,
  partitions: readonly InspectedPartition[],
  chosen: number | null,
): Promise<BootFacts> {
  const choice = await findBoot(disk, partitions, chosen);
  const boot = choice?.partition;
  const root = await openRoot(disk, partitions);
  const fat = boot && (await FatVolume.openReadOnly(new SliceSource(disk, boot.offset, boot.size)));
  const system = await lookAtSystem(disk, partitions, fat ?? null);
  const view = fat ?? (root && new RootBoot(root));
  const detected = view && (await detectMethod({ boot: view, root, system }));
  return {
    bootPartition: boot?.number ?? null,
    bootReason: choice?.reason ?? '',
    bootOffset: boot?.offset ?? null,
    bootSize: boot?.size ?? null,
    method: detected?.id ?? 'none',
    methodReason:
      detected?.reason ?? 'The image has neither a FAT boot partition nor an ext root that could be read.',
    bootFiles: ((await view?.list()) ?? [])
      .slice(0, FILES_TOLD)
      .map(({ name, size, folder }) => ({ name, size, folder })),
    system,
  };
}

/**
 * The same of an image that is on the shelf already.
 * @param chosen number of the partition that a person chose for first-boot files; null for the one that is found
 * @throws DiskError when that partition is damaged
 */
export async function lookOnShelf(
  folder: string,
  partitions: readonly InspectedPartition[],
  chosen: number | null,
): Promise<BootFacts> {
  const source = await FileSource.open(shelfFiles(folder).image);
  try {
    return await lookInside(source, partitions, chosen);
  } finally {
    await source.close();
  }
}
