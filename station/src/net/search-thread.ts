import { Worker } from 'node:worker_threads';
import type { SearchNetwork, SearchProgress, SweepHit } from './search';

type Message = { hit: SweepHit } | { progress: SearchProgress } | { ended: SearchProgress };

/**
 * Searches in a thread of its own.
 * @param program the built `search-worker`, as a path
 */
export const searchInThread =
  (program: string): SearchNetwork =>
  (order, { signal, onProgress, onHit }) =>
    new Promise((resolve, reject) => {
      if (signal.aborted) {
        resolve({ done: 0, total: order.addresses.length, unreachable: 0 });
        return;
      }
      const worker = new Worker(program, { workerData: order });
      const stop = (): void => worker.postMessage('stop');
      signal.addEventListener('abort', stop, { once: true });
      let ended: SearchProgress | null = null;
      worker.on('message', (message: Message) => {
        if ('hit' in message) onHit(message.hit);
        else if ('progress' in message) onProgress(message.progress);
        else {
          ended = message.ended;
          // Connections that were given up would keep the thread alive.
          void worker.terminate();
        }
      });
      worker.once('error', reject);
      worker.once('exit', (code) => {
        signal.removeEventListener('abort', stop);
        if (ended) resolve(ended);
        else reject(new Error(`the search ended early (${String(code)})`));
      });
    });
