import { createHash } from 'node:crypto';
import { copyFile, mkdir, open, rm } from 'node:fs/promises';
import { join } from 'node:path';
import {
  bootPartition,
  detectMethod,
  FatVolume,
  inspectDisk,
  SliceSource,
  type FirstBootMethodId,
  type InspectedPartition,
} from '@nest-mark/core';
import { BLOCK_SIZE, blockDigest } from '../writer/digest';
import { FileSource } from './file-source';
import { ImageError, packingOf, unpack, type Packing } from './unpack';

/** What is known of an image after it was read once from end to end. */
export interface ShelvedImage {
  packing: Packing;
  packedSize: number;
  packedSha256: string;
  rawSize: number;
  rawSha256: string;
  /** Digests of the unpacked blocks of `BLOCK_SIZE` octets. */
  blockDigests: string[];
  partitions: InspectedPartition[];
  bootOffset: number | null;
  bootSize: number | null;
  method: FirstBootMethodId;
  methodReason: string;
}

/** Files of an image on the shelf. */
export const shelfFiles = (folder: string): { image: string; boot: string } => ({
  image: join(folder, 'image'),
  boot: join(folder, 'boot.img'),
});

async function sha256OfFile(path: string): Promise<{ digest: string; size: number }> {
  const hash = createHash('sha256');
  let size = 0;
  for await (const part of unpack(path, 'raw')) {
    hash.update(part);
    size += part.length;
  }
  return { digest: hash.digest('hex'), size };
}

/** Unpacks into a sparse file while taking digests. */
async function unpackTo(
  path: string,
  packing: Packing,
  target: string,
  onProgress: (bytes: number) => void,
): Promise<Pick<ShelvedImage, 'rawSize' | 'rawSha256' | 'blockDigests'>> {
  const digest = await blockDigest();
  const whole = createHash('sha256');
  const blockDigests: string[] = [];
  const block = Buffer.alloc(BLOCK_SIZE);
  const zeros = Buffer.alloc(BLOCK_SIZE);
  let filled = 0;
  let rawSize = 0;
  const file = await open(target, 'w');
  const put = async (): Promise<void> => {
    const used = block.subarray(0, filled);
    blockDigests.push(digest(used));
    if (!used.equals(zeros.subarray(0, filled))) await file.write(used, 0, filled, rawSize);
    rawSize += filled;
    filled = 0;
    onProgress(rawSize);
  };
  try {
    for await (const part of unpack(path, packing)) {
      whole.update(part);
      for (let at = 0; at < part.length;) {
        const count = Math.min(part.length - at, BLOCK_SIZE - filled);
        part.copy(block, filled, at, at + count);
        filled += count;
        at += count;
        if (filled === BLOCK_SIZE) await put();
      }
    }
    if (filled > 0) await put();
    await file.truncate(rawSize);
  } finally {
    await file.close();
  }
  return { rawSize, rawSha256: whole.digest('hex'), blockDigests };
}

/**
 * Reads an image from end to end, checks it, and keeps a copy and its boot partition in a folder of the shelf.
 * Nothing is left behind when it fails.
 * @param published SHA-256 as published, of the packed or of the unpacked file; empty when there is none
 * @throws ImageError, DiskError
 */
export async function shelveImage(
  path: string,
  folder: string,
  published: string,
  onProgress: (rawBytes: number) => void = () => undefined,
): Promise<ShelvedImage> {
  const packing = await packingOf(path);
  const { digest: packedSha256, size: packedSize } = await sha256OfFile(path);
  await mkdir(folder, { recursive: true });
  const files = shelfFiles(folder);
  const rawPath = join(folder, 'unpacked');
  try {
    const raw = await unpackTo(path, packing, rawPath, onProgress);
    const wanted = published.trim().toLowerCase();
    if (wanted && wanted !== packedSha256 && wanted !== raw.rawSha256)
      throw new ImageError(
        'digest',
        `The image is not the published one: its SHA-256 is ${packedSha256}, published is ${wanted}. Get it again.`,
      );
    const source = await FileSource.open(rawPath);
    try {
      const partitions = await inspectDisk(source);
      const boot = bootPartition(partitions);
      const found = {
        method: 'none' as FirstBootMethodId,
        methodReason: 'The image has no FAT boot partition.',
      };
      if (boot) {
        const slice = new SliceSource(source, boot.offset, boot.size);
        const detected = await detectMethod(await FatVolume.openReadOnly(slice));
        found.method = detected.id;
        found.methodReason = detected.reason;
        await copyRange(source, boot.offset, boot.size, files.boot);
      }
      await copyFile(path, files.image);
      const range = { bootOffset: boot?.offset ?? null, bootSize: boot?.size ?? null };
      return { packing, packedSize, packedSha256, ...raw, partitions, ...range, ...found };
    } finally {
      await source.close();
    }
  } catch (error) {
    await rm(folder, { recursive: true, force: true });
    throw error;
  } finally {
    await rm(rawPath, { force: true });
  }
}

async function copyRange(source: FileSource, offset: number, size: number, target: string): Promise<void> {
  const file = await open(target, 'w');
  try {
    for (let at = 0; at < size; at += BLOCK_SIZE) {
      const part = await source.read(offset + at, Math.min(BLOCK_SIZE, size - at));
      if (part.some((value) => value !== 0)) await file.write(part, 0, part.length, at);
    }
    await file.truncate(size);
  } finally {
    await file.close();
  }
}
