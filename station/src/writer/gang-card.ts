import type { Patch } from '@nest-mark/core/disk';
import { CardError, type CardFault, type CardHandle } from '../ports';
import type { PooledBlock } from './block-pool';

/** A card to be written. */
export interface GangCard {
  id: string;
  handle: CardHandle;
  /** What is laid over the base, offsets from the disk's start. */
  patches: readonly Patch[];
}

export type CardOutcome =
  { state: 'verified' } | { state: 'cancelled' } | { state: 'failed'; code: CardFault; message: string };

/** A card on its way through the gang: its writes in flight, what it must give back, and how it ended. */
export class CardRun {
  outcome: CardOutcome | null = null;
  /** Digests that the card must give back, by block; the first block comes last. */
  readonly expected: string[] = [];
  private readonly pending = new Set<Promise<void>>();

  constructor(
    readonly card: GangCard,
    private readonly stallMs: number,
    private readonly onWritten: (bytes: number) => void,
  ) {}

  get live(): boolean {
    return this.outcome === null;
  }

  /** Takes the card out of the gang; the first reason stays. */
  fail(error: unknown): void {
    if (this.outcome) return;
    const known = error instanceof CardError;
    const message = known
      ? error.message
      : `The reader reports an error: ${error instanceof Error ? error.message : String(error)}`;
    this.outcome = { state: 'failed', code: known ? error.code : 'io', message };
  }

  /** Starts writing a block, and waits while `limit` writes are under way already. */
  async put(block: PooledBlock, length: number, offset: number, limit: number): Promise<void> {
    block.retain();
    const work = this.timed(this.card.handle.write(block.bytes.subarray(0, length), offset), () =>
      block.release(),
    ).then(
      () => this.onWritten(length),
      (error: unknown) => this.fail(error),
    );
    const entry = work.finally(() => this.pending.delete(entry));
    this.pending.add(entry);
    while (this.live && this.pending.size >= limit) await Promise.race(this.pending);
  }

  /** Waits for all writes. */
  async settle(): Promise<void> {
    await Promise.all(this.pending);
  }

  /** Fails a card whose reader does not answer any more; the block stays taken until it does. */
  async timed<T>(work: Promise<T>, settled: () => void = () => undefined): Promise<T> {
    let timer: NodeJS.Timeout | undefined;
    const stalled = new Promise<never>((_resolve, reject) => {
      timer = setTimeout(() => {
        reject(
          new CardError(
            'stalled',
            'The reader stopped answering. Take the card out and try it in another slot.',
          ),
        );
      }, this.stallMs);
    });
    const done = work.finally(settled);
    try {
      return await Promise.race([done, stalled]);
    } finally {
      clearTimeout(timer);
      done.catch(() => undefined);
    }
  }
}
