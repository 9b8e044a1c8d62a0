import { CardError } from '../ports';

const stalled = (): CardError =>
  new CardError('stalled', 'The reader stopped answering. Take the card out and try it in another slot.');

/** A card's requests under way: a bounded number at once, each with a limit for its answer. */
export class InFlight {
  private readonly pending = new Set<Promise<void>>();
  /** Requests that the reader has not answered, given up or not. */
  private readonly unanswered = new Set<Promise<unknown>>();
  private fault: { error: unknown } | null = null;

  /** @param stallMs milliseconds without an answer after which a request counts as lost */
  constructor(
    private readonly limit: number,
    private readonly stallMs: number,
  ) {}

  /**
   * Adds a request and waits while as many as allowed are under way.
   * @param answered called when the reader answered, in time or not
   * @throws what an earlier request failed with
   */
  async add(work: Promise<void>, answered: () => void): Promise<void> {
    const entry: Promise<void> = this.timed(work, answered)
      .catch((error: unknown) => {
        this.fault ??= { error };
      })
      .finally(() => this.pending.delete(entry));
    this.pending.add(entry);
    while (!this.fault && this.pending.size >= this.limit) await Promise.race(this.pending);
    if (this.fault) throw this.fault.error;
  }

  /** Waits for all requests. @throws what one of them failed with */
  async drained(): Promise<void> {
    await Promise.all(this.pending);
    if (this.fault) throw this.fault.error;
  }

  /** Waits until every request was answered. @returns false when one still is not after the limit */
  async settled(): Promise<boolean> {
    const until = performance.now() + this.stallMs;
    while (this.unanswered.size > 0) {
      const left = until - performance.now();
      if (left <= 0) return false;
      let timer: NodeJS.Timeout | undefined;
      const late = new Promise<void>((resolve) => (timer = setTimeout(resolve, left)));
      await Promise.race([Promise.allSettled(this.unanswered), late]);
      clearTimeout(timer);
    }
    return true;
  }

  /** Calls back once every request was answered, whenever that is. */
  whenAnswered(work: () => void): void {
    void Promise.allSettled(this.unanswered).then(work);
  }

  /**
   * Waits for a request, but not for ever.
   * @param answered called when the reader answered, in time or not
   * @throws CardError `stalled`, or what the request failed with
   */
  async timed<T>(work: Promise<T>, answered: () => void = () => undefined): Promise<T> {
    const tracked = work.finally(() => {
      this.unanswered.delete(tracked);
      answered();
    });
    this.unanswered.add(tracked);
    tracked.catch(() => undefined);
    let timer: NodeJS.Timeout | undefined;
    const late = new Promise<never>((_resolve, reject) => {
      timer = setTimeout(() => reject(stalled()), this.stallMs);
    });
    try {
      return await Promise.race([tracked, late]);
    } finally {
      clearTimeout(timer);
    }
  }
}
