import type { BoardBringUp, BringUp, StepView } from '@nest-mark/core';
import { stepsOf, type Step } from '@nest-mark/core/bring-up';
import type { StoredBatch } from '../plans';
import type { BringUps } from './domain';
import { waysOf } from './ways';

const toView = ({ id, title, why, source, byHand, change, last, minutes }: Step): StepView => ({
  id,
  title,
  why,
  source,
  byHand,
  changes: change !== null,
  last,
  minutes,
});

/** How a batch's bringing up stands. */
export async function bringUpView(bringUps: BringUps, batch: StoredBatch): Promise<BringUp> {
  const { repository, live, plans, finding } = bringUps;
  const [boards, off, records, cards, running] = await Promise.all([
    repository.boards(batch.id),
    repository.keysOff(batch.id),
    plans.repository.records(batch.id),
    finding.rounds.repository.latestCards(batch.id),
    repository.underWay(batch.id),
  ]);
  const skips = await repository.skips(records.map(({ deviceId }) => deviceId));
  // What was done before a card was written anew was done to another system.
  const current = boards.filter(({ deviceId, since }) => since >= (cards.get(deviceId)?.at ?? 0));
  return {
    batchId: batch.id,
    steps: stepsOf(batch.plan.bringUp).map(toView),
    boards: current.map(({ runId: _run, since: _since, ...board }): BoardBringUp => {
      const shutDown = board.steps.find(({ stepId, state }) => stepId === 'shut-down' && state === 'done');
      return {
        ...board,
        job: live.jobOf(board.deviceId),
        keyOff: off.has(board.deviceId),
        offAt: shutDown?.at ?? null,
      };
    }),
    skips: skips.map(({ deviceId, stepId, reason }) => ({ deviceId, stepId, reason })),
    running,
    ways: waysOf(bringUps, batch),
  };
}
