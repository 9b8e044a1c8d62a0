import { randomInt } from 'node:crypto';
import { emptyMedium } from '@nest-mark/core/disk';
import type { CardHandle } from '../ports';
import { BlockPool, PAGE } from '../writer/block-pool';

const CHUNK = 1 << 20;

/**
 * Leaves a card with one empty FAT32 partition over its full size, so that every system shows all of it.
 * @param size octets to use: less than the card says when it lies
 * @throws RangeError when the card is too small, CardError when it fails
 */
export async function restoreCard(handle: CardHandle, size = handle.size): Promise<void> {
  const { zeros, patches } = emptyMedium(size, randomInt(2 ** 32));
  const { bytes } = await new BlockPool(CHUNK, 1).take();
  bytes.fill(0);
  for (const { offset, length } of zeros)
    for (let at = 0; at < length; at += CHUNK)
      await handle.write(bytes.subarray(0, Math.min(CHUNK, length - at)), offset + at);
  for (const patch of patches) {
    // Whole pages: what surrounds a patch is zero, or another patch of the same page.
    const start = Math.floor(patch.offset / PAGE) * PAGE;
    const page = bytes.subarray(0, PAGE);
    await handle.read(page, start);
    page.set(patch.bytes, patch.offset - start);
    await handle.write(page, start);
  }
  await handle.flush();
}
