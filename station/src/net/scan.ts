import { setImmediate as turn } from 'node:timers/promises';
import type { SearchProgress } from './search';
import { fetchHostKey, type ShownKey } from './ssh-host-key';
import { probeTcp, type TcpAnswer } from './tcp-probe';

/** A host that has the port open. */
export interface ScanHit {
  address: string;
  port: number;
  banner: string | null;
  key: ShownKey | null;
}

export interface ScanOptions {
  signal?: AbortSignal;
  /** Connections at a time; beyond 512 hosts are lost (measured). */
  inFlight?: number;
  /** Host keys asked at a time; more than 16 gain nothing (measured). */
  keysInFlight?: number;
  timeoutMs?: number;
  onProgress?: (progress: SearchProgress) => void;
  onHit?: (hit: ScanHit) => void;
}

/** Works through a list, which may grow meanwhile, with a bounded number of workers. */
async function eachOf<T>(
  items: readonly T[],
  workers: number,
  work: (item: T) => Promise<void>,
  signal?: AbortSignal,
): Promise<void> {
  let next = 0;
  const worker = async (): Promise<void> => {
    while (next < items.length && !signal?.aborted) {
      const item = items[next++];
      if (item !== undefined) await work(item);
    }
  };
  await Promise.all(Array.from({ length: Math.min(workers, items.length) }, worker));
}

const aborted = (signal: AbortSignal | undefined): Promise<void> =>
  new Promise((resolve) => {
    if (signal?.aborted) resolve();
    else signal?.addEventListener('abort', () => resolve(), { once: true });
  });

/** At most so many at a time, the others in their order. */
function bounded(limit: number): <T>(work: () => Promise<T>) => Promise<T> {
  let free = limit;
  const waiting: (() => void)[] = [];
  return async (work) => {
    if (free > 0) free--;
    else await new Promise<void>((resolve) => waiting.push(resolve));
    try {
      return await work();
    } finally {
      const next = waiting.shift();
      if (next) next();
      else free++;
    }
  };
}

/**
 * Looks for login services on addresses: a TCP connection to each, and the host key of each that answers, as soon as
 * it does. Only the addresses given are contacted.
 * @returns how far it got; less than all of it when it was stopped
 */
export async function scan(
  addresses: readonly string[],
  port: number,
  options: ScanOptions = {},
): Promise<SearchProgress> {
  const { signal, inFlight = 256, keysInFlight = 16, timeoutMs = 1500 } = options;
  const progress: SearchProgress = { done: 0, total: addresses.length, unreachable: 0 };
  const asking = bounded(keysInFlight);
  const keys: Promise<void>[] = [];
  const ask = async ({ address, banner }: TcpAnswer): Promise<void> => {
    const ssh = banner?.startsWith('SSH-') ?? false;
    const key = ssh ? await asking(() => fetchHostKey(address, port)) : null;
    if (!signal?.aborted) options.onHit?.({ address, port, banner, key });
  };
  await eachOf(
    addresses,
    inFlight,
    async (address) => {
      const answer = await probeTcp(address, port, timeoutMs);
      if (answer.answer === 'open') keys.push(ask(answer));
      if (answer.answer === 'unreachable') progress.unreachable++;
      progress.done++;
      options.onProgress?.({ ...progress });
      // Connections that fail at once would otherwise keep the loop from ever reading an answer.
      await turn();
    },
    signal,
  );
  // What was stopped is not waited for: a host can take many seconds over its key.
  await Promise.race([Promise.all(keys), aborted(signal)]);
  return progress;
}
