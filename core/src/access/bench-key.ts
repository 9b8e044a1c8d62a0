import { parsePublicKey } from './ssh-public-key';

/** What the bench's own key is called on a board, so that a person finds it there. */
export const BENCH_KEY_NAME = 'nest-mark-bench';

/** It may run commands and nothing else: no terminal, no forwarding (sshd(8), "AUTHORIZED_KEYS FILE FORMAT"). */
const PLAIN = 'restrict';
/** It may also lend the board a port of the bench's, on the board's own loopback, and reach nothing from there. */
const LENDING = 'restrict,port-forwarding,permitlisten="127.0.0.1:*",permitopen="127.0.0.1:9"';

/**
 * The bench's key as a line of authorized_keys.
 * @param lends whether packages come to the board through the bench
 */
export const benchKeyLine = (publicLine: string, lends: boolean): string =>
  `${lends ? LENDING : PLAIN} ${publicLine}`;

/** Whether a line of authorized_keys is a bench's own key: it goes with a batch, and into no plan. */
export function isBenchKey(line: string): boolean {
  const key = parsePublicKey(line);
  return (
    typeof key !== 'string' &&
    key.comment === BENCH_KEY_NAME &&
    (key.options === PLAIN || key.options === LENDING)
  );
}
