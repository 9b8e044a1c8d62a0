import type { BoardBringUp, BringUp, StepView } from '@nest-mark/core';
import { stepsOf, type Step } from '@nest-mark/core/bring-up';
import type { StoredBatch } from '../plans';
import type { BringUps } from './domain';
import { currentOf, writtenAt } from './standing';
import { secondsLeft } from './time-left';
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
  const { repository, live, finding } = bringUps;
  const [cards, running] = await Promise.all([
    finding.rounds.repository.latestCards(batch.id),
    repository.underWay(batch.id),
  ]);
  const { boards, keysOff, skips } = await currentOf(repository, batch.id, writtenAt(cards));
  return {
    batchId: batch.id,
    steps: stepsOf(batch.plan.bringUp).map(toView),
    boards: boards.map(({ runId: _run, since: _since, ...board }): BoardBringUp => {
      const shutDown = board.steps.find(({ stepId, state }) => stepId === 'shut-down' && state === 'done');
      return {
        ...board,
        job: live.jobOf(board.deviceId),
        keyOff: keysOff.has(board.deviceId),
        offAt: shutDown?.at ?? null,
      };
    }),
    skips: skips.map(({ deviceId, stepId, reason }) => ({ deviceId, stepId, reason })),
    running,
    secondsLeft: running.length === 0 ? null : await secondsLeft(bringUps, batch, boards),
    ways: waysOf(bringUps, batch),
    terminals: bringUps.terminals,
  };
}
