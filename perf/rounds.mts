import type { BatchProgress, Image, Proposal, Round } from '@nest-mark/core';
import { until, type Call } from './server.mjs';

/** The first image of the shelf, once all are read. */
export async function shelvedImage(call: Call): Promise<Image> {
  const [image] = await until(async () => {
    const list = await call<Image[]>('GET', '/images');
    return list.every(({ state }) => state === 'ready') ? list : null;
  });
  if (!image) throw new Error('there is no image on the shelf');
  return image;
}

/** Puts fresh cards in, writes the next round of a batch, and takes nothing out. @throws Error when one was not verified */
export async function writeRound(
  call: Call,
  batchId: string,
): Promise<{ ended: Round; milliseconds: number }> {
  await call('POST', '/practice/actions', { do: 'insertFresh' });
  const { cards } = await call<Proposal>('GET', `/batches/${batchId}/next-round`);
  const armed = cards.flatMap(({ slotId, deviceId, medium }) =>
    deviceId !== null && medium ? [{ slotId, deviceId, identity: medium.identity }] : [],
  );
  const begun = performance.now();
  const round = await call<Round>('POST', `/batches/${batchId}/rounds`, {
    cards: armed,
    confirm: `erase ${String(armed.length)}`,
    lookedAt: Date.now(),
  });
  const ended = await until(async () => {
    const { rounds } = await call<BatchProgress>('GET', `/batches/${batchId}/progress`);
    const found = rounds.find((candidate) => candidate.id === round.id);
    return found && found.state !== 'queued' && found.state !== 'running' ? found : null;
  });
  if (ended.cards.some(({ state }) => state !== 'verified')) throw new Error('a card was not verified');
  return { ended, milliseconds: performance.now() - begun };
}
