import type { BaseImage, BlockReader } from '../image/base-image';
import type { BlockPool, PooledBlock } from './block-pool';
import type { BlockDigest } from './digest';

/** The image is not what it was when its digests were taken. */
export const imageChanged = (): Error =>
  new Error('The image on the shelf is not what it was when it was checked. Remove it and add it again.');

/** Blocks read ahead, so that the shelf is read while cards are written. */
const AHEAD = 2;

/**
 * The one reading of an image that all cards of a gang share.
 *
 * It goes on at the pace of the fastest card and keeps the newest blocks in memory. A card that comes too late for
 * a block reads it from the shelf by itself, so a slow card never holds the others back.
 */
export class SharedFeed {
  private readonly window = new Map<number, Promise<PooledBlock>>();
  private reader: Promise<BlockReader> | null = null;
  /** Reading goes block after block; each production waits for the one before. */
  private chain: Promise<unknown> = Promise.resolve();
  private produced = 0;
  private closed = false;

  /** @param keep blocks that stay in memory, at least `AHEAD` + 2 */
  constructor(
    private readonly base: BaseImage,
    private readonly pool: BlockPool,
    private readonly digest: BlockDigest,
    private readonly keep: number,
  ) {}

  /**
   * A block, retained for the caller; null when it left the memory already.
   * @throws when the image cannot be read or was changed
   */
  async take(index: number): Promise<PooledBlock | null> {
    while (!this.closed && this.produced <= Math.min(index + AHEAD, this.base.blockDigests.length - 1))
      this.produce(this.produced++);
    const found = this.window.get(index);
    if (!found) return null;
    const block = await found;
    // It may have been let go while it was waited for.
    if (!this.window.has(index)) return null;
    block.retain();
    return block;
  }

  /** Gives all memory back once its readers are through. */
  async close(): Promise<void> {
    this.closed = true;
    for (const index of [...this.window.keys()]) this.forget(index);
    await this.chain;
    await this.reader?.then(
      (reader) => reader.close(),
      () => undefined,
    );
  }

  private produce(index: number): void {
    const work = this.chain.then(() => this.read(index));
    this.window.set(index, work);
    // Whoever takes the block hears of its failure.
    this.chain = work.catch(() => undefined);
    this.forget(index - this.keep);
  }

  private async read(index: number): Promise<PooledBlock> {
    this.reader ??= this.base.open();
    const reader = await this.reader;
    const offset = index * this.base.blockSize;
    const block = await this.pool.take();
    try {
      block.length = Math.min(this.base.blockSize, this.base.size - offset);
      const bytes = block.bytes.subarray(0, block.length);
      await reader.read(bytes, offset);
      if (this.digest(bytes) !== this.base.blockDigests[index]) throw imageChanged();
      return block;
    } catch (error) {
      block.release();
      throw error;
    }
  }

  private forget(index: number): void {
    const old = this.window.get(index);
    if (!old) return;
    this.window.delete(index);
    old.then(
      (block) => block.release(),
      () => undefined,
    );
  }
}
