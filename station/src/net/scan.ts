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
  onProgress?: (done: number, total: number) => void;
  onHit?: (hit: ScanHit) => void;
}

/** Works through a list with a bounded number of workers. */
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

/**
 * Looks for login services on addresses: a TCP connection to each, then the host key of those that answer.
 * Only the addresses given are contacted.
 */
export async function scan(
  addresses: readonly string[],
  port: number,
  options: ScanOptions = {},
): Promise<ScanHit[]> {
  const { signal, inFlight = 256, keysInFlight = 16, timeoutMs = 1500 } = options;
  const open: TcpAnswer[] = [];
  let done = 0;
  await eachOf(
    addresses,
    inFlight,
    async (address) => {
      const answer = await probeTcp(address, port, timeoutMs);
      if (answer.answer === 'open') open.push(answer);
      options.onProgress?.(++done, addresses.length);
    },
    signal,
  );
  const hits: ScanHit[] = [];
  await eachOf(
    open,
    keysInFlight,
    async ({ address, banner }) => {
      const ssh = banner?.startsWith('SSH-') ?? false;
      const hit = { address, port, banner, key: ssh ? await fetchHostKey(address, port) : null };
      hits.push(hit);
      options.onHit?.(hit);
    },
    signal,
  );
  return hits;
}
