import { join } from 'node:path';
import type { BatchProgress, BatchSummary, Watch } from '@nest-mark/core';
import { seconds, type Result } from './measure.mjs';
import { shelvedImage, writeRound } from './rounds.mjs';
import { until, withServer, type Call } from './server.mjs';

const network = '127.89.4';

/** From the power-on of twelve practice boards, which start at once, to their proofs, by each clue alone. */
export const arrivals = (root: string, folder: string): Promise<Result[]> =>
  withServer(root, join(folder, 'arrive'), network, (_url, call) => measure(call));

async function measure(call: Call): Promise<Result[]> {
  await shelvedImage(call);
  const [{ id } = { id: '' }] = await call<BatchSummary[]>('GET', '/batches');
  await call('POST', '/practice/actions', { do: 'pace', bootSeconds: 0, slotRate: 0 });
  for (let round = 0; round < 3; round++) {
    await writeRound(call, id);
    await call('POST', '/practice/actions', { do: 'pullIdle' });
  }
  await call('POST', '/practice/actions', { do: 'seat', batchId: id });
  const results: Result[] = [];
  for (const source of ['multicast', 'address-request'] as const) {
    const { id: watch } = await call<Watch>('POST', `/batches/${id}/watches`, {
      sources: [source],
      places: ['practice'],
      port: 2222,
    });
    await until(async () => {
      const { watch: now } = await call<BatchProgress>('GET', `/batches/${id}/progress`);
      return now?.id === watch && now.sources.every(({ on }) => on) ? true : null;
    });
    const since = (await call<BatchProgress>('GET', `/batches/${id}/progress`)).devices.map(
      ({ seen }) => seen?.at ?? 0,
    );
    const proved = ({ devices }: BatchProgress): number =>
      devices.filter(({ seen }, at) => seen?.standing === 'proved' && seen.at > (since[at] ?? 0)).length;
    const begun = performance.now();
    await call('POST', '/practice/actions', { do: 'powerAll', on: true });
    let first = 0;
    await until(async () => {
      const count = proved(await call<BatchProgress>('GET', `/batches/${id}/progress`));
      if (count > 0 && first === 0) first = performance.now() - begun;
      return count === 12 ? true : null;
    });
    results.push({
      what: `twelve boards powered together, heard by ${source} alone: first proof ${seconds(first)}, all`,
      figure: seconds(performance.now() - begun),
      bound: 'the first within 1 s, 50 within 15 s',
    });
    await call('POST', '/practice/actions', { do: 'powerAll', on: false });
    await until(async () => {
      const { watch: now } = await call<BatchProgress>('GET', `/batches/${id}/progress`);
      return now?.state === 'done' ? true : null;
    });
  }
  return results;
}
