import { open } from 'node:fs/promises';
import { readFully } from './read-fully';

/** The image that the cards of a gang get, readable from any of its blocks. */
export interface BaseImage {
  /** Unpacked size in octets. */
  size: number;
  /** Octets in a block; the last one may be shorter. */
  blockSize: number;
  /** Digests of its blocks, taken when it was shelved. */
  blockDigests: readonly string[];
  open(): Promise<BlockReader>;
}

/** One reading of an image. */
export interface BlockReader {
  /** Fills `into` with the octets from `offset` on. Going forward is quick, going back may mean to begin anew. */
  read(into: Uint8Array, offset: number): Promise<void>;
  close(): Promise<void>;
}

/** Reads an unpacked image file. @throws RangeError when it became shorter */
export async function openRaw(path: string): Promise<BlockReader> {
  const file = await open(path, 'r');
  return { read: (into, offset) => readFully(file, into, offset), close: () => file.close() };
}
