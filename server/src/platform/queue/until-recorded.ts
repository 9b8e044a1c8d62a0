import { setTimeout as pause } from 'node:timers/promises';
import { isOutage } from '../database/outage';

const FIRST_PAUSE = 100;
const LONGEST_PAUSE = 3000;
/** Tries of something that the database refuses although it is there. */
const TRIES = 5;

/** Whether the database itself said no (an SQLSTATE, PostgreSQL documentation, appendix A). */
const isRefused = (error: unknown): boolean => {
  const { code } = error as { code?: unknown };
  return typeof code === 'string' && /^[0-9A-Z]{5}$/.test(code);
};

/**
 * Writes something down, and tries again until it is: how a card ended must not be lost because the database was away
 * for a moment. What is done has to be safe to do twice, since an answer can be lost on its way.
 * @throws what the last try failed with, when the program stops or the database refuses it for good; at once what is
 *   not of the database
 */
export async function untilRecorded<T>(
  { closing }: { closing: AbortSignal },
  work: () => Promise<T>,
): Promise<T> {
  let length = FIRST_PAUSE;
  for (let refused = 0; ;) {
    try {
      return await work();
    } catch (error) {
      const again = isOutage(error) || (isRefused(error) && ++refused < TRIES);
      if (closing.aborted || !again) throw error;
    }
    await pause(length, undefined, { signal: closing }).catch(() => undefined);
    length = Math.min(length * 2, LONGEST_PAUSE);
  }
}
