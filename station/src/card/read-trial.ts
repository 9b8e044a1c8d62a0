import type { ReadTrial } from '@nest-mark/core';
import type { ByteSource } from '@nest-mark/core/disk';
import { BlockPool } from '../writer/block-pool';

/** Octets that are read at each place. */
const PIECE = 8 << 20;
const BLOCK = 1 << 20;

/** A medium that is open for reading only. */
export interface OpenedToRead extends ByteSource {
  /** Fills a buffer, past the system's cache where that is possible. */
  into(buffer: Uint8Array, offset: number): Promise<void>;
  close(): Promise<void>;
}

/**
 * Reads the beginning, the middle and the end of a medium, and nothing is written: whether it can be read at all, and
 * how fast. @throws what reading throws
 */
export async function tryReading(medium: OpenedToRead): Promise<ReadTrial> {
  const block = await new BlockPool(BLOCK, 1).take();
  const last = Math.max(0, Math.floor((medium.size - PIECE) / BLOCK) * BLOCK);
  const middle = Math.floor(last / 2 / BLOCK) * BLOCK;
  const done = new Set<number>();
  const begun = performance.now();
  let octets = 0;
  for (const start of [0, middle, last]) {
    // The last octets too: a card that lies about its size is missing its end.
    const end = start === last ? medium.size : Math.min(medium.size, start + PIECE);
    for (let at = start; at < end; at += BLOCK) {
      // On a small medium the places overlap.
      if (done.has(at)) continue;
      done.add(at);
      const length = Math.min(BLOCK, medium.size - at);
      await medium.into(block.bytes.subarray(0, length), at);
      octets += length;
    }
  }
  return { octets, seconds: (performance.now() - begun) / 1000 };
}
