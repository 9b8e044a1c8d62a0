import { createHash } from 'node:crypto';

const STRETCH = 1 << 20;

/** Reads octets of a medium into a buffer. */
export type ReadInto = (into: Uint8Array, offset: number) => Promise<void>;

/**
 * SHA-256 over the first and the last MiB of a medium, in hexadecimal digits; over all of it where it is smaller than
 * both. The partition table, the backup of a GPT and most file systems' heads lie there, so two media of one size that
 * were used differ in it although their reader tells them apart by nothing else.
 * @param buffer at least 1 MiB; page-aligned where the medium is read past the cache
 */
export async function contentDigest(size: number, read: ReadInto, buffer: Uint8Array): Promise<string> {
  const hash = createHash('sha256');
  const stretches =
    size <= STRETCH
      ? [[0, size] as const]
      : [[0, STRETCH] as const, [Math.max(STRETCH, size - STRETCH), size] as const];
  for (const [from, to] of stretches) {
    const part = buffer.subarray(0, to - from);
    await read(part, from);
    hash.update(part);
  }
  return hash.digest('hex');
}
