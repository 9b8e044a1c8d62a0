import { createXXHash128 } from 'hash-wasm';

/** A fast 128-bit digest of a block, as hexadecimal text. It finds accidents, not forgeries. */
export type BlockDigest = (block: Uint8Array) => string;

/** Makes the digest function (XXH3-128, as the package hash-wasm gives it). */
export async function blockDigest(): Promise<BlockDigest> {
  const hash = await createXXHash128();
  return (block) => hash.init().update(block).digest('hex');
}

/** Octets in one block of an image's digest list. */
export const BLOCK_SIZE = 4 << 20;
