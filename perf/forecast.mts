import { join } from 'node:path';
import {
  forecast,
  type Batch,
  type BatchSummary,
  type MeasuredRate,
  type ShelvedBoard,
} from '@nest-mark/core';
import { seconds, type Result } from './measure.mjs';
import { shelvedImage, writeRound } from './rounds.mjs';
import { withServer, type Call } from './server.mjs';

/** Pace of a slot of the practice bench, in MB/s both ways. */
const slotMBps = 20;

/** The estimate of the write stage against what the practice bench's readers then really take. */
export const forecastAgainstRounds = (root: string, folder: string): Promise<Result[]> =>
  withServer(root, join(folder, 'rounds'), '127.89.2', (_url, call) => measure(call));

async function measure(call: Call): Promise<Result[]> {
  const image = await shelvedImage(call);
  const [{ id } = { id: '' }] = await call<BatchSummary[]>('GET', '/batches');
  const batch = await call<Batch>('GET', `/batches/${id}`);
  const { plan } = batch;
  Object.assign(plan.bench, {
    slots: 4,
    readerMBps: 1000,
    cardWriteMBps: slotMBps,
    cardReadMBps: slotMBps,
    swapSeconds: 0,
  });
  const boards = await call<ShelvedBoard[]>('GET', '/boards');
  const images = [{ id: image.id, rawSize: image.rawSize ?? 0 }];
  const estimate = (rates: MeasuredRate[], only?: ReadonlySet<string>): number =>
    forecast({ plan, images, networks: [], boards, rates, ...(only ? { only } : {}) }, 1).cardsDone.middle *
    1000;
  await call('POST', '/practice/actions', { do: 'pace', bootSeconds: 0, slotRate: slotMBps * 1e6 });
  const book = estimate([]);
  let learnt = 0;
  const took: number[] = [];
  for (let turn = 0; turn < 3; turn++) {
    const { ended, milliseconds } = await writeRound(call, id);
    took.push(milliseconds);
    await call('POST', '/practice/actions', { do: 'pullIdle' });
    if (turn === 0) {
      const left = new Set(plan.devices.map((device) => device.id));
      for (const { deviceId } of ended.cards) left.delete(deviceId);
      learnt = estimate(await call<MeasuredRate[]>('GET', '/rates'), left);
    }
  }
  const all = took.reduce((sum, one) => sum + one, 0);
  const rest = all - (took[0] ?? 0);
  const off = (guess: number, real: number): string => `${(((guess - real) / real) * 100).toFixed(0)} %`;
  return [
    {
      what: `write stage of twelve cards at ${String(slotMBps)} MB/s a slot, estimate from book values ${seconds(book)}, really ${seconds(all)}`,
      figure: `off by ${off(book, all)}`,
      bound: 'within 20 %',
    },
    {
      what: `the last eight, estimate learnt from the first four ${seconds(learnt)}, really ${seconds(rest)}`,
      figure: `off by ${off(learnt, rest)}`,
      bound: 'within 20 %',
    },
  ];
}
