import { applyPatches, touches, type Patch } from '@nest-mark/core/disk';
import { contentDigest } from '../card/content-digest';
import type { BaseImage, BlockReader } from '../image/base-image';
import { CardError, type CardFault, type CardHandle } from '../ports';
import type { BlockPool, PooledBlock } from './block-pool';
import type { BlockDigest } from './digest';
import { InFlight } from './in-flight';
import type { PauseSwitch } from './pause';
import { imageChanged, type SharedFeed } from './shared-feed';

/** A card to be written. */
export interface GangCard {
  id: string;
  handle: CardHandle;
  /** What is laid over the base, offsets from the disk's start. */
  patches: readonly Patch[];
  /**
   * Called right before the first octet of the card is overwritten; when it fails, the card stays as it was. From here
   * on the card is no longer what it was, whatever happens to the program.
   */
  beforeTouch?: () => Promise<void>;
}

export type CardOutcome =
  | {
      state: 'verified';
      /** Whether it was read back past the system's cache; otherwise the proof is only as good as that. */
      pastCache: boolean;
      /** `contentDigest` of the card as it was left; empty when its last MiB cannot be read. */
      content: string;
    }
  | { state: 'cancelled' }
  | { state: 'failed'; code: CardFault; message: string };

export type Phase = 'writing' | 'verifying';

/** What the cards of a gang have in common. */
export interface GangTerms {
  base: BaseImage;
  pool: BlockPool;
  feed: SharedFeed;
  digest: BlockDigest;
  inFlight: number;
  stallMs: number;
  pause: PauseSwitch;
  signal: AbortSignal | null;
}

class Cancelled extends Error {
  override readonly name = 'Cancelled';
}

/** A card on its way: emptied at the front, written, read back, and finished by its first block. */
export class CardRun {
  /** Digests that the card must give back, by block. */
  private readonly expected: string[] = [];
  /** Its own reading of the image, once it fell behind the others. */
  private own: Promise<BlockReader> | null = null;
  private readonly flight: InFlight;
  private written = 0;
  /** Whether anything was written; until then the card is as it was, and stays so. */
  private touched = false;

  constructor(
    private readonly card: GangCard,
    private readonly terms: GangTerms,
    private readonly onProgress: (phase: Phase, done: number) => void,
  ) {
    this.flight = new InFlight(terms.inFlight, terms.stallMs);
  }

  private get blocks(): number {
    return this.terms.base.blockDigests.length;
  }

  private lengthOf(index: number): number {
    const { size, blockSize } = this.terms.base;
    return Math.min(blockSize, size - index * blockSize);
  }

  /** Takes the card all the way. @returns how it ended; never throws */
  async go(): Promise<CardOutcome> {
    const outcome = await this.tried();
    await this.own?.then(
      (reader) => reader.close(),
      () => undefined,
    );
    const close = (): Promise<void> => this.card.handle.close().catch(() => undefined);
    const stalled = outcome.state === 'failed' && outcome.code === 'stalled';
    if (!stalled && (await this.flight.settled())) await close();
    // A reader that does not answer keeps its handle until it does.
    else this.flight.whenAnswered(() => void close());
    return outcome;
  }

  private async tried(): Promise<CardOutcome> {
    try {
      await this.emptyFirst();
      for (let index = 0; index < this.blocks; index++) await this.write(index);
      await this.flight.drained();
      await this.flight.timed(this.card.handle.flush());
      await this.verifyAll();
      await this.writeFirst();
      return { state: 'verified', pastCache: this.card.handle.pastCache, content: await this.contentNow() };
    } catch (error) {
      const outcome = outcomeOf(error);
      const stalled = outcome.state === 'failed' && outcome.code === 'stalled';
      if (this.touched && !stalled) await this.emptyAgain();
      return outcome;
    }
  }

  /** Between two blocks: waits while paused. @throws Cancelled */
  private async mayGoOn(): Promise<void> {
    const { signal, pause } = this.terms;
    if (pause.paused && !signal?.aborted) await Promise.race([pause.passed(), aborted(signal)]);
    if (signal?.aborted) throw new Cancelled();
  }

  private async emptyFirst(): Promise<void> {
    const { handle } = this.card;
    if (handle.size < this.terms.base.size)
      throw new CardError('small', 'The card is smaller than the image. Use a larger card.');
    await this.mayGoOn();
    await this.card.beforeTouch?.();
    const zeros = await this.terms.pool.take();
    zeros.bytes.fill(0);
    this.touched = true;
    await this.flight.timed(handle.write(zeros.bytes.subarray(0, this.lengthOf(0)), 0), () =>
      zeros.release(),
    );
    await this.flight.timed(handle.flush());
  }

  /** Lays the patches over a block and starts writing it; the first one only has its digest taken. */
  private async write(index: number): Promise<void> {
    const { base, digest } = this.terms;
    await this.mayGoOn();
    const shared = await this.block(index);
    const offset = index * base.blockSize;
    let block = shared;
    if (touches(this.card.patches, offset, shared.length)) {
      block = await this.patched(shared, offset);
      shared.release();
      this.expected[index] = digest(block.bytes.subarray(0, block.length));
    } else this.expected[index] = base.blockDigests[index] ?? '';
    if (index === 0) {
      block.release();
      return;
    }
    const { length } = block;
    const work = this.card.handle.write(block.bytes.subarray(0, length), offset).then(() => {
      this.written += length;
      this.onProgress('writing', this.written);
    });
    await this.flight.add(work, () => block.release());
  }

  /** A block of the image: the shared one, or read by the card itself when it comes late. */
  private async block(index: number): Promise<PooledBlock> {
    const { base, feed, pool, digest } = this.terms;
    try {
      const shared = await feed.take(index);
      if (shared) return shared;
      this.own ??= base.open();
      const reader = await this.own;
      const block = await pool.take();
      block.length = this.lengthOf(index);
      const bytes = block.bytes.subarray(0, block.length);
      try {
        await reader.read(bytes, index * base.blockSize);
        if (digest(bytes) !== base.blockDigests[index]) throw imageChanged();
      } catch (error) {
        block.release();
        throw error;
      }
      return block;
    } catch (error) {
      throw new CardError('image', error instanceof Error ? error.message : String(error));
    }
  }

  /** A copy of a block with the card's patches laid over it. */
  private async patched(block: PooledBlock, offset: number): Promise<PooledBlock> {
    const copy = await this.terms.pool.take();
    copy.length = block.length;
    copy.bytes.set(block.bytes.subarray(0, block.length));
    applyPatches(copy.bytes.subarray(0, block.length), offset, this.card.patches);
    return copy;
  }

  /** Reads everything but the first block back, one read ahead of the comparing. */
  private async verifyAll(): Promise<void> {
    const ahead = new Map<number, Promise<PooledBlock>>();
    const begin = (index: number): Promise<PooledBlock> => {
      const reading = ahead.get(index) ?? this.readBack(index);
      ahead.set(index, reading);
      return reading;
    };
    try {
      for (let index = 1; index < this.blocks; index++) {
        await this.mayGoOn();
        const block = await begin(index);
        ahead.delete(index);
        // Its failure is seen when its turn comes.
        if (index + 1 < this.blocks) begin(index + 1).catch(() => undefined);
        await this.compare(index, block);
        const done = index * this.terms.base.blockSize + this.lengthOf(index) - this.lengthOf(0);
        this.onProgress('verifying', done);
      }
    } finally {
      for (const reading of ahead.values())
        reading.then(
          (block) => block.release(),
          () => undefined,
        );
    }
  }

  private async readBack(index: number): Promise<PooledBlock> {
    const { base, pool } = this.terms;
    const block = await pool.take();
    block.length = this.lengthOf(index);
    const bytes = block.bytes.subarray(0, block.length);
    // A stalled reader may still fill the block later, so only its answer gives it back.
    await this.flight.timed(
      this.card.handle.read(bytes, index * base.blockSize).catch((error: unknown) => {
        block.release();
        throw error;
      }),
    );
    return block;
  }

  /** Compares what the card gave back, and lets go of it. @throws CardError with the first octet that differs */
  private async compare(index: number, block: PooledBlock): Promise<void> {
    const bytes = block.bytes.subarray(0, block.length);
    const wrong = this.terms.digest(bytes) !== this.expected[index] ? bytes.slice() : null;
    block.release();
    if (!wrong) return;
    const at = index * this.terms.base.blockSize + (await this.firstDifference(index, wrong));
    throw new CardError(
      'mismatch',
      `The card gave back other data than was written, first at byte ${String(at)}. Do not use this card again.`,
    );
  }

  private async firstDifference(index: number, got: Uint8Array): Promise<number> {
    const offset = index * this.terms.base.blockSize;
    const right = await this.block(index);
    const bytes = right.bytes.slice(0, right.length);
    right.release();
    applyPatches(bytes, offset, this.card.patches);
    return Math.max(
      0,
      got.findIndex((value, place) => value !== bytes[place]),
    );
  }

  private async writeFirst(): Promise<void> {
    const { handle } = this.card;
    await this.mayGoOn();
    const base = await this.block(0);
    const block = await this.patched(base, 0);
    base.release();
    await this.flight.timed(handle.write(block.bytes.subarray(0, block.length), 0), () => block.release());
    await this.flight.timed(handle.flush());
    // On a card that holds less than it says, the image's end may lie where its beginning was put just now.
    const last = this.blocks - 1;
    for (const index of new Set([0, Math.max(0, last - 1), last]))
      await this.compare(index, await this.readBack(index));
    this.onProgress('verifying', this.terms.base.size);
  }

  /** What the card can be known by again. It is verified already, so a medium that fails behind the image tells nothing. */
  private async contentNow(): Promise<string> {
    const { size } = this.card.handle;
    const read = async (offset: number, length: number): Promise<Uint8Array> => {
      const bytes = new Uint8Array(length);
      await this.flight.timed(this.card.handle.read(bytes, offset));
      return bytes;
    };
    return contentDigest({ size, read }).catch(() => '');
  }

  /**
   * A card that failed at its very end must not look bootable, nor one whose end lies over its beginning when it is
   * cancelled; a card that is gone cannot be helped.
   */
  private async emptyAgain(): Promise<void> {
    const { handle } = this.card;
    if (!(await this.flight.settled())) return;
    try {
      await this.flight.timed(handle.write(new Uint8Array(this.lengthOf(0)), 0));
      await this.flight.timed(handle.flush());
    } catch {
      // The first block was empty before and was not written yet, or the medium is out of reach.
    }
  }
}

const aborted = (signal: AbortSignal | null): Promise<void> =>
  new Promise((resolve) => signal?.addEventListener('abort', () => resolve(), { once: true }));

function outcomeOf(error: unknown): CardOutcome {
  if (error instanceof Cancelled) return { state: 'cancelled' };
  if (error instanceof CardError) return { state: 'failed', code: error.code, message: error.message };
  const said = error instanceof Error ? error.message : String(error);
  return { state: 'failed', code: 'io', message: `The reader reports an error: ${said}` };
}
