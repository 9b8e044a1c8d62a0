/** The thread in which a search runs; see `search-thread.ts` for its other side. */
import { parentPort, workerData } from 'node:worker_threads';
import { sweep } from './sweep';
import type { SearchOrder } from './search';

/** Milliseconds between two words about how far it is. */
const TELL_EVERY = 200;

async function work(order: SearchOrder): Promise<void> {
  const port = parentPort;
  if (!port) throw new Error('this file runs in a thread of its own');
  const stop = new AbortController();
  port.on('message', () => stop.abort());
  let told = 0;
  const progress = await sweep(order.addresses, order.port, {
    signal: stop.signal,
    onHit: (hit) => port.postMessage({ hit }),
    onProgress: (now) => {
      if (Date.now() - told < TELL_EVERY) return;
      told = Date.now();
      port.postMessage({ progress: now });
    },
  });
  port.postMessage({ ended: progress });
}

void work(workerData as SearchOrder);
