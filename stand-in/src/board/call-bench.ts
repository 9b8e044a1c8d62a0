import { request } from 'node:http';
import { setTimeout as pause } from 'node:timers/promises';
import type { Call } from './settings';

/** Times that a board calls, and milliseconds between two (cloud-init, module "phone_home"). */
const TRIES = 5;
const AGAIN = 3000;

/** Posts once, from the board's own address. @returns whether it was taken */
const post = ({ url, body }: Call, from: string): Promise<boolean> =>
  new Promise((resolve) => {
    const sent = request(
      url,
      {
        method: 'POST',
        localAddress: from,
        timeout: 5000,
        headers: { 'content-type': 'application/x-www-form-urlencoded' },
      },
      (response) => {
        response.resume();
        resolve(Math.floor((response.statusCode ?? 0) / 100) === 2);
      },
    );
    sent.on('timeout', () => sent.destroy());
    sent.on('error', () => resolve(false));
    sent.end(body);
  });

/**
 * Makes the calls that a card told its board to make.
 * @param from the board's address
 * @param network first three parts of the practice network's addresses; nobody else is ever called
 * @returns how to stop
 */
export function callBench(calls: readonly Call[], from: string, network: string): () => void {
  const off = new AbortController();
  const go = async (call: Call): Promise<void> => {
    for (let tries = 1; !off.signal.aborted && !(await post(call, from)) && tries < TRIES; tries++)
      await pause(AGAIN, undefined, { signal: off.signal }).catch(() => undefined);
  };
  for (const call of calls)
    if (URL.canParse(call.url) && new URL(call.url).hostname.startsWith(`${network}.`)) void go(call);
  return () => off.abort();
}
