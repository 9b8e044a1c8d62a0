import { setTimeout as pause } from 'node:timers/promises';
import { ERRORS, type Lock, type Locker, type RequestRelease } from '@tus/server';

interface Holding {
  /** Asks the holder to come to an end. */
  ask: RequestRelease;
  ended: Promise<void>;
  end(): void;
}

/** Milliseconds in which most come to their end by themselves. */
const GRACE = 200;

const aborted = (signal: AbortSignal): Promise<void> =>
  new Promise((resolve) => {
    if (signal.aborted) resolve();
    else signal.addEventListener('abort', () => resolve(), { once: true });
  });

/**
 * One request at a time has an upload for itself. Whoever comes later waits a little, then asks the one before to come to
 * an end: it may hang on a line that is dead. The package's own locks look without a pause meanwhile, which takes a whole
 * processor from those who write cards.
 */
export class UploadLocks implements Locker {
  private readonly held = new Map<string, Holding>();

  newLock(id: string): Lock {
    let own: Holding | null = null;
    return {
      lock: async (signal, ask) => {
        for (let other = this.held.get(id); other; other = this.held.get(id)) {
          await Promise.race([other.ended, aborted(signal), pause(GRACE, undefined, { ref: false })]);
          if (this.held.get(id) === other) {
            await other.ask();
            await Promise.race([other.ended, aborted(signal)]);
          }
          if (signal.aborted) throw ERRORS.ABORTED;
        }
        let end: () => void = () => undefined;
        const ended = new Promise<void>((resolve) => (end = resolve));
        own = { ask, ended, end };
        this.held.set(id, own);
      },
      unlock: () => {
        this.held.delete(id);
        own?.end();
        return Promise.resolve();
      },
    };
  }
}
