import type { FileHandle } from 'node:fs/promises';

/**
 * Fills a buffer from a place of a file; one read may give less than was asked for.
 * @param enough octets that have to be there; the rest is filled as far as the file goes
 * @throws RangeError when the file ends before
 */
export async function readFully(
  file: FileHandle,
  into: Uint8Array,
  offset: number,
  enough = into.length,
): Promise<void> {
  for (let at = 0; at < enough;) {
    const { bytesRead } = await file.read(into, at, into.length - at, offset + at);
    if (bytesRead === 0) throw new RangeError(`it ends before byte ${String(offset + into.length)}`);
    at += bytesRead;
  }
}
