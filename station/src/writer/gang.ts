import { applyPatches, touches } from '@nest-mark/core/disk';
import { CardError } from '../ports';
import { BlockPool, type PooledBlock } from './block-pool';
import { BLOCK_SIZE, blockDigest, type BlockDigest } from './digest';
import { CardRun, type CardOutcome, type GangCard } from './gang-card';

/** The image that all cards of a gang get. */
export interface BaseImage {
  /** Unpacked size in octets. */
  size: number;
  /** Digests of its blocks, taken when it was shelved. */
  blockDigests: readonly string[];
  /** Its unpacked octets from the start, in pieces of any size. */
  open(): AsyncIterable<Uint8Array>;
}

export type Phase = 'writing' | 'verifying';

export interface GangOptions {
  signal?: AbortSignal;
  /** Called for each card as it goes on; `done` and `total` in octets. */
  onProgress?: (cardId: string, phase: Phase, done: number, total: number) => void;
  /** Called once for each card as soon as its end is known. */
  onOutcome?: (cardId: string, outcome: CardOutcome) => void;
  /** Writes under way for each card. */
  inFlight?: number;
  poolBlocks?: number;
  /** Milliseconds without an answer after which a card is given up. */
  stallMs?: number;
}

/**
 * Writes one image to several cards at once, each with its own patches, and reads every block back.
 *
 * The base is read and unpacked once. A card's first block is emptied before anything else and written last,
 * after all the others were verified, so an interrupted card never looks finished. A card that fails leaves the
 * gang with its reason; the others go on.
 * @returns how each card ended, by its id
 */
export async function writeGang(
  base: BaseImage,
  cards: readonly GangCard[],
  options: GangOptions = {},
): Promise<Map<string, CardOutcome>> {
  return new Gang(base, cards, options, await blockDigest()).run();
}

class Gang {
  private readonly pool: BlockPool;
  private readonly runs: CardRun[];
  private readonly reported = new Set<CardRun>();
  /** The base's first block, kept until everything else is verified. */
  private first: PooledBlock | null = null;

  constructor(
    private readonly base: BaseImage,
    cards: readonly GangCard[],
    private readonly options: GangOptions,
    private readonly digest: BlockDigest,
  ) {
    // Beyond the blocks that travel, each card may hold one while it is read back.
    this.pool = new BlockPool(BLOCK_SIZE, (options.poolBlocks ?? 16) + cards.length);
    const stallMs = options.stallMs ?? 30_000;
    this.runs = cards.map((card) => {
      let written = 0;
      return new CardRun(card, stallMs, (bytes) => {
        written += bytes;
        options.onProgress?.(card.id, 'writing', Math.min(written, base.size), base.size);
      });
    });
  }

  async run(): Promise<Map<string, CardOutcome>> {
    await this.emptyFirstBlocks();
    await this.feed();
    await Promise.all(this.live().map((run) => this.finish(run)));
    this.first?.release();
    this.report();
    return new Map(this.runs.map((run) => [run.card.id, run.outcome ?? { state: 'cancelled' }]));
  }

  private live(): CardRun[] {
    return this.runs.filter((run) => run.live);
  }

  private get firstLength(): number {
    return Math.min(BLOCK_SIZE, this.base.size);
  }

  /** Tells of cards that ended since the last look. */
  private report(): void {
    for (const run of this.runs)
      if (run.outcome && !this.reported.has(run)) {
        this.reported.add(run);
        this.options.onOutcome?.(run.card.id, run.outcome);
      }
  }

  private cancelled(): boolean {
    if (!this.options.signal?.aborted) return false;
    for (const run of this.live()) run.outcome = { state: 'cancelled' };
    return true;
  }

  private async emptyFirstBlocks(): Promise<void> {
    const zeros = await this.pool.take();
    zeros.bytes.fill(0);
    await Promise.all(
      this.runs.map(async (run) => {
        try {
          if (run.card.handle.size < this.base.size)
            throw new CardError('small', 'The card is smaller than the image. Use a larger card.');
          await run.timed(run.card.handle.write(zeros.bytes.subarray(0, this.firstLength), 0));
          await run.timed(run.card.handle.flush());
        } catch (error) {
          run.fail(error);
        }
      }),
    );
    zeros.release();
    this.report();
  }

  /** Reads the base once and hands every block to every card. */
  private async feed(): Promise<void> {
    let index = 0;
    try {
      for await (const block of this.blocks()) {
        if (this.cancelled() || this.live().length === 0) {
          block.release();
          break;
        }
        await this.distribute(block, index++);
        this.report();
      }
      if (this.live().length > 0 && index !== this.base.blockDigests.length) throw imageChanged();
    } catch (error) {
      const message = error instanceof Error ? error.message : String(error);
      for (const run of this.live()) run.fail(new CardError('image', message));
    }
    await Promise.all(this.runs.filter((run) => run.live).map((run) => run.settle()));
    this.report();
  }

  /** The base as pooled blocks, checked against the shelf's digests. */
  private async *blocks(): AsyncGenerator<PooledBlock> {
    let block: PooledBlock | null = null;
    let filled = 0;
    let index = 0;
    const ready = (done: PooledBlock): PooledBlock => {
      done.length = filled;
      if (this.digest(done.bytes.subarray(0, filled)) !== this.base.blockDigests[index++]) {
        done.release();
        throw imageChanged();
      }
      filled = 0;
      return done;
    };
    for await (const part of this.base.open()) {
      for (let at = 0; at < part.length;) {
        block ??= await this.pool.take();
        const count = Math.min(part.length - at, BLOCK_SIZE - filled);
        block.bytes.set(part.subarray(at, at + count), filled);
        filled += count;
        at += count;
        if (filled < BLOCK_SIZE) continue;
        const whole = block;
        block = null;
        yield ready(whole);
      }
    }
    if (block) yield ready(block);
  }

  private async distribute(block: PooledBlock, index: number): Promise<void> {
    const offset = index * BLOCK_SIZE;
    const digest = this.base.blockDigests[index] ?? '';
    await Promise.all(
      this.live().map(async (run) => {
        const own = touches(run.card.patches, offset, block.length)
          ? await this.patched(block, offset, run)
          : null;
        run.expected[index] = own ? this.digest(own.bytes.subarray(0, own.length)) : digest;
        if (index > 0) await run.put(own ?? block, block.length, offset, this.options.inFlight ?? 2);
        own?.release();
      }),
    );
    if (index === 0) this.first = block;
    else block.release();
  }

  /** A copy of a block with a card's patches laid over it. */
  private async patched(block: PooledBlock, offset: number, run: CardRun): Promise<PooledBlock> {
    const copy = await this.pool.take();
    copy.length = block.length;
    copy.bytes.set(block.bytes.subarray(0, block.length));
    applyPatches(copy.bytes.subarray(0, block.length), offset, run.card.patches);
    return copy;
  }

  /** Reads a card back, then writes and checks its first block. */
  private async finish(run: CardRun): Promise<void> {
    const { handle } = run.card;
    try {
      await run.timed(handle.flush());
      for (let index = 1; index < run.expected.length; index++) {
        if (this.cancelled()) break;
        await this.verify(run, index);
      }
      if (run.live && this.first) {
        const last = await this.patched(this.first, 0, run);
        await run.timed(handle.write(last.bytes.subarray(0, last.length), 0));
        await run.timed(handle.flush());
        last.release();
        await this.verify(run, 0);
        run.outcome = { state: 'verified' };
      }
    } catch (error) {
      run.fail(error);
      await this.emptyAgain(run);
    }
    this.report();
  }

  private async verify(run: CardRun, index: number): Promise<void> {
    const offset = index * BLOCK_SIZE;
    const length = Math.min(BLOCK_SIZE, this.base.size - offset);
    const block = await this.pool.take();
    const bytes = block.bytes.subarray(0, length);
    // A stalled reader may still fill the block later, so only its answer gives it back.
    await run.timed(run.card.handle.read(bytes, offset)).catch((error: unknown) => {
      if (!(error instanceof CardError && error.code === 'stalled')) block.release();
      throw error;
    });
    const wrong = this.digest(bytes) !== run.expected[index] ? bytes.slice() : null;
    block.release();
    if (wrong) {
      const at = offset + (await this.firstDifference(run, index, wrong));
      throw new CardError(
        'mismatch',
        `The card gave back other data than was written, first at byte ${String(at)}. Do not use this card again.`,
      );
    }
    const done = index === 0 ? this.base.size : offset - BLOCK_SIZE + length;
    this.options.onProgress?.(run.card.id, 'verifying', done, this.base.size);
  }

  /** Where within a block a card differs; the base is unpacked once more up to there. */
  private async firstDifference(run: CardRun, index: number, got: Uint8Array): Promise<number> {
    const start = index * BLOCK_SIZE;
    const right = new Uint8Array(got.length);
    let at = 0;
    for await (const part of this.base.open()) {
      const from = Math.max(start, at);
      const to = Math.min(start + right.length, at + part.length);
      if (from < to) right.set(part.subarray(from - at, to - at), from - start);
      at += part.length;
      if (at >= start + right.length) break;
    }
    applyPatches(right, start, run.card.patches);
    return Math.max(
      0,
      got.findIndex((value, place) => value !== right[place]),
    );
  }

  /** A card that failed at its very end must not look bootable; a card that is gone cannot be helped. */
  private async emptyAgain(run: CardRun): Promise<void> {
    const zeros = new Uint8Array(this.firstLength);
    try {
      await run.timed(run.card.handle.write(zeros, 0));
      await run.timed(run.card.handle.flush());
    } catch {
      // The first block was empty before and was not written yet, or the medium is out of reach.
    }
  }
}

const imageChanged = (): Error =>
  new Error('The image on the shelf is not what it was when it was checked. Remove it and add it again.');
