import { createHash } from 'node:crypto';
import type { ByteSource } from '@nest-mark/core/disk';
import { readMarkBytes } from './look';

const STRETCH = 1 << 20;

/**
 * What a medium can be told from another one by, where its reader tells nothing of it: SHA-256, in hexadecimal digits,
 * over its first and last MiB and its mark file. The partition table, the backup of a GPT and most file systems' heads
 * lie in those stretches, so two used media of one size differ there; cards of one image are alike in them, and differ
 * in their marks.
 * @throws what reading the medium fails with
 */
export async function contentDigest(medium: ByteSource): Promise<string> {
  const { size } = medium;
  const hash = createHash('sha256').update(await medium.read(0, Math.min(STRETCH, size)));
  if (size > STRETCH) {
    const last = Math.max(STRETCH, size - STRETCH);
    hash.update(await medium.read(last, size - last));
  }
  const mark = await readMarkBytes(medium);
  if (mark) hash.update(mark);
  return hash.digest('hex');
}
