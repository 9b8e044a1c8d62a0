import { parsePublicKey } from './ssh-public-key';

/** What the bench's own key is called on a board, so that a person finds it there. */
export const BENCH_KEY_NAME = 'nest-mark-bench';

/** Whether a line of authorized_keys is a bench's own key: it goes with a batch, and into no plan. */
export function isBenchKey(line: string): boolean {
  const key = parsePublicKey(line);
  return typeof key !== 'string' && key.comment === BENCH_KEY_NAME && key.options === 'restrict';
}
