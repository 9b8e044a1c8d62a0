import { setImmediate as turn } from 'node:timers/promises';
import pLimit from 'p-limit';
import pMap from 'p-map';
import type { SearchProgress, SweepHit } from './search';
import { fetchHostKey } from './ssh-host-key';
import { probeTcp, type TcpAnswer } from './tcp-probe';

export interface SweepOptions {
  signal?: AbortSignal;
  /** Connections at a time; beyond 512 hosts are lost (measured). */
  inFlight?: number;
  /** Host keys asked at a time; more than 16 gain nothing (measured). */
  keysInFlight?: number;
  timeoutMs?: number;
  onProgress?: (progress: SearchProgress) => void;
  onHit?: (hit: SweepHit) => void;
}

/** Addresses from which twice as many are asked at a time: nearly all of a large network answer nothing for 1.5 s. */
const LARGE = 1024;
const widthFor = (addresses: number): number => (addresses > LARGE ? 512 : 256);

const aborted = (signal: AbortSignal | undefined): Promise<void> =>
  new Promise((resolve) => {
    if (signal?.aborted) resolve();
    else signal?.addEventListener('abort', () => resolve(), { once: true });
  });

/**
 * Looks for login services on addresses: a TCP connection to each, and the host key of each that answers, as soon as
 * it does. Only the addresses given are contacted.
 * @returns how far it got; less than all of it when it was stopped
 */
export async function sweep(
  addresses: readonly string[],
  port: number,
  options: SweepOptions = {},
): Promise<SearchProgress> {
  const { signal, inFlight = widthFor(addresses.length), keysInFlight = 16, timeoutMs = 1500 } = options;
  const progress: SearchProgress = { done: 0, total: addresses.length, unreachable: 0 };
  const asking = pLimit(keysInFlight);
  const keys: Promise<void>[] = [];
  const ask = async ({ address, banner }: TcpAnswer): Promise<void> => {
    const ssh = banner?.startsWith('SSH-') ?? false;
    const key = ssh ? await asking(() => fetchHostKey(address, port)) : null;
    if (!signal?.aborted) options.onHit?.({ address, port, banner, key });
  };
  await pMap(
    addresses,
    async (address) => {
      const answer = await probeTcp(address, port, timeoutMs);
      // What comes after the end is told to nobody.
      if (signal?.aborted) return;
      if (answer.answer === 'open') keys.push(ask(answer));
      if (answer.answer === 'unreachable') progress.unreachable++;
      progress.done++;
      options.onProgress?.({ ...progress });
      // Connections that fail at once would otherwise keep the loop from ever reading an answer.
      await turn();
    },
    { concurrency: inFlight, ...(signal ? { signal } : {}) },
  ).catch((error: unknown) => {
    if (!signal?.aborted) throw error;
  });
  // What was stopped is not waited for: a host can take many seconds over its key.
  await Promise.race([Promise.all(keys), aborted(signal)]);
  return progress;
}
