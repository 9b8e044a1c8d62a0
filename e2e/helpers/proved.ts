import { randomUUID } from 'node:crypto';
import type { Batch, BatchProgress, Plan, PracticeView, Proposal, Round } from '@nest-mark/core';
import type { App } from './app';
import { readyBatch } from './ready';

const until = async (met: () => Promise<boolean>): Promise<void> => {
  while (!(await met())) await new Promise((resolve) => setTimeout(resolve, 100));
};

/** A batch whose boards are powered and proved, made through the server's interface. */
export async function provedBatch(app: App, count: number, change: Partial<Plan> = {}): Promise<Batch> {
  const batch = await readyBatch(app, count, change);
  const at = `/batches/${batch.id}`;
  const once = (): Record<string, string> => ({ 'Idempotency-Key': randomUUID() });
  const act = (action: object): Promise<unknown> => app.api('POST', '/practice/actions', action);
  const progress = (): Promise<BatchProgress> => app.api('GET', `${at}/progress`);
  await act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  for (let left = count; left > 0;) {
    await act({ do: 'insertFresh' });
    let proposal: Proposal | null = null;
    await until(async () => {
      proposal = await app.api<Proposal>('GET', `${at}/next-round`);
      return proposal.cards.some(({ deviceId, medium }) => deviceId !== null && medium !== null);
    });
    const { cards, at: lookedAt } = proposal as unknown as Proposal;
    const armed = cards.flatMap(({ slotId, deviceId, medium }) =>
      deviceId !== null && medium ? [{ slotId, deviceId, identity: medium.identity }] : [],
    );
    const { id } = await app.api<Round>(
      'POST',
      `${at}/rounds`,
      { cards: armed, confirm: `erase ${String(armed.length)}`, lookedAt },
      once(),
    );
    await until(async () =>
      (await progress()).rounds.some((round) => round.id === id && round.state === 'done'),
    );
    await act({ do: 'seat', batchId: batch.id });
    left -= armed.length;
  }
  await act({ do: 'powerAll', on: true });
  await app.api('POST', `${at}/powered`, { deviceIds: batch.plan.devices.map(({ id }) => id) });
  await until(async () =>
    (await app.api<PracticeView>('GET', '/practice')).boards.every(({ phase }) => phase === 'online'),
  );
  await app.api('POST', `${at}/searches`, { subnet: `${app.network}.0/24`, port: 2222 }, once());
  await until(async () => (await progress()).devices.every(({ seen }) => seen?.standing === 'proved'));
  return batch;
}
