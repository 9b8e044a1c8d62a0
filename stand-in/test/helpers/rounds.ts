import { randomBytes } from 'node:crypto';
import { closeSync, openSync, readSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { applyPatches, noCardFaults, type CardFaults, type Patch } from '@nest-mark/core';
import { blockDigest, openRaw, type BaseImage } from '@nest-mark/station';
import { freshLab, type LabState } from '../../src/state';

/** Small blocks, so that many rounds are quick; the writer does the same with them as with large ones. */
const BLOCK = 64 << 10;
/** Not a whole number of blocks, nor of pages. */
export const SIZE = 17 * BLOCK + 1536;

/** An image of random octets with a boot signature, on the disk. */
export async function smallImage(folder: string): Promise<{ image: Buffer; base: BaseImage }> {
  const image = randomBytes(SIZE);
  image.writeUInt16LE(0xaa55, 510);
  const path = join(folder, 'base.img');
  writeFileSync(path, image);
  return { image, base: await baseOf(path, image) };
}

export async function baseOf(path: string, image: Buffer): Promise<BaseImage> {
  const digest = await blockDigest();
  const blockDigests: string[] = [];
  for (let at = 0; at < image.length; at += BLOCK) blockDigests.push(digest(image.subarray(at, at + BLOCK)));
  return { size: image.length, blockSize: BLOCK, blockDigests, open: () => openRaw(path) };
}

/** What one card gets of its own: in the first block, over a border of blocks, and at the very end. */
export const patchesOf = (number: number): Patch[] => [
  { offset: 1024, bytes: Buffer.alloc(512, number) },
  { offset: 5 * BLOCK - 512, bytes: Buffer.alloc(1024, 0x40 + number) },
  { offset: SIZE - 512, bytes: Buffer.alloc(512, 0x80 + number) },
];

export function wantedOn(image: Buffer, number: number): Buffer {
  const copy = Buffer.from(image);
  applyPatches(copy, 0, patchesOf(number));
  return copy;
}

/** A reader's state with four cards in it. */
export function fourCards(faults: readonly CardFaults[] = []): LabState {
  const state = freshLab('127.61.9');
  state.slotRate = 0;
  state.cards = state.cards
    .slice(0, 4)
    .map((card, at) => ({ ...card, size: 64 << 20, faults: faults[at] ?? noCardFaults }));
  state.cards.forEach(({ id }, at) => (state.slots[`slot-${String(at + 1)}`] = id));
  return state;
}

export const cardPath = (folder: string, number: number): string =>
  join(folder, `card-${String(number).padStart(2, '0')}.img`);

/** Fills a card with what it held before: octets that look like a disk that starts. */
export function useCard(folder: string, number: number, old: Buffer): void {
  writeFileSync(cardPath(folder, number), old);
  truncateSync(cardPath(folder, number), 64 << 20);
}

export function onCard(folder: string, number: number, length = SIZE): Buffer {
  const file = openSync(cardPath(folder, number), 'r');
  const bytes = Buffer.alloc(length);
  readSync(file, bytes, 0, length, 0);
  closeSync(file);
  return bytes;
}

/**
 * Whether a card that was not reported as verified is safe: its beginning is empty, or nothing was written to it
 * at all, or (when it was pulled in the moment between the last octet and its report) all of it is there.
 */
export function isSafe(card: Buffer, old: Buffer, wanted: Buffer): boolean {
  const page = card.subarray(0, 4096);
  const spoilt = page.reduce((count, value) => count + (value === 0 ? 0 : 1), 0);
  // A card with one wrong octet keeps it even when it is emptied.
  return spoilt <= 1 || card.subarray(0, BLOCK).equals(old.subarray(0, BLOCK)) || card.equals(wanted);
}
