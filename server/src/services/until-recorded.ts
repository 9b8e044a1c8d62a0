import { setTimeout as pause } from 'node:timers/promises';
import { isOutage } from '../db/outage';
import type { Context } from './context';

const FIRST_PAUSE = 100;
const LONGEST_PAUSE = 3000;
/** Tries of something that fails although the database is there. */
const TRIES = 8;

/**
 * Writes something down, and tries again until it is: how a card ended must not be lost because the database was away
 * for a moment. What is done has to be safe to do twice, since an answer can be lost on its way.
 * @throws what the last try failed with, when the program stops or the database refuses it for good
 */
export async function untilRecorded<T>(context: Context, work: () => Promise<T>): Promise<T> {
  let length = FIRST_PAUSE;
  for (let refused = 0; ;) {
    try {
      return await work();
    } catch (error) {
      if (context.closing.aborted || (!isOutage(error) && ++refused >= TRIES)) throw error;
    }
    await pause(length, undefined, { signal: context.closing }).catch(() => undefined);
    length = Math.min(length * 2, LONGEST_PAUSE);
  }
}
