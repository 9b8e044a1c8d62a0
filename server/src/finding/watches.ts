import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import type { Watch } from '@nest-mark/core';
import { problem } from '../platform/http/problems';
import { toWatch, WatchOrderSchema, type WatchOrder } from './clue-repository';
import type { Finding } from './domain';

/** A watch with its sources. @throws Problem when there is none */
export async function watchOf(finding: Finding, id: string): Promise<Watch> {
  const { repository } = finding.runs;
  const [run, items, order] = await Promise.all([
    repository.find(id),
    repository.items(id),
    repository.orderOf(id),
  ]);
  if (run?.kind !== 'watch') throw problem('watch-ended');
  return toWatch(run, WatchOrderSchema.parse(order), items);
}

/** The newest watch of a batch; null when nobody listened yet. */
export async function latestWatch(finding: Finding, batchId: string): Promise<Watch | null> {
  const id = await finding.clues.latestWatch(batchId);
  return id === null ? null : watchOf(finding, id);
}

/** Makes a watch as part of a transaction. */
export async function beginWatch(
  finding: Finding,
  batchId: string,
  order: WatchOrder,
  begunBy: string,
  db: Knex,
): Promise<string> {
  const id = randomUUID();
  const items = order.sources.map((subject) => ({ subject }));
  // A run is about something: where nothing is listened to, about what a person gives.
  await finding.runs.begin(
    { id, kind: 'watch', batchId, begunBy, order, items: items.length > 0 ? items : [{ subject: 'given' }] },
    db,
  );
  return id;
}
