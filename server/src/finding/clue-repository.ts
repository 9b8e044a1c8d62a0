import type { Knex } from 'knex';
import type { Watch } from '@nest-mark/core';
import { ListeningSourceSchema, type Clue, type HeardClue } from '@nest-mark/core/find';
import * as z from 'zod';
import { millis } from '../platform/database/connect';
import type { Run, RunItem } from '../platform/runs/model';

interface ClueRow {
  id: string;
  run_id: string;
  source: Clue['source'];
  kind: Clue['kind'];
  address: string | null;
  hardware_address: string | null;
  name: string | null;
  mark: string | null;
  times: number;
  since: Date;
  at: Date;
}

/** What a watch was told when it was made. */
export const WatchOrderSchema = z.object({
  sources: z.array(ListeningSourceSchema),
  places: z.array(z.string()),
  port: z.number().int(),
  /** Where the cards have their boards call, as the plan had it when it began. */
  callIn: z.object({ address: z.string(), port: z.number().int() }).nullable().default(null),
  listPath: z.string().default(''),
});
export type WatchOrder = z.infer<typeof WatchOrderSchema>;

const toClue = (row: ClueRow): HeardClue => ({
  source: row.source,
  kind: row.kind,
  address: row.address,
  hardwareAddress: row.hardware_address,
  name: row.name,
  mark: row.mark,
  times: row.times,
  since: millis(row.since),
  at: millis(row.at),
});

/** A watch as people see it. */
export const toWatch = (run: Run, order: WatchOrder, items: readonly RunItem[]): Watch => ({
  id: run.id,
  batchId: run.batchId ?? '',
  station: run.station,
  state: run.state === 'held' ? 'running' : run.state,
  port: order.port,
  places: order.places,
  listPath: order.listPath,
  sources: order.sources.map((source) => {
    const item = items.find(({ subject }) => subject === source);
    return { source, on: item?.state === 'running', message: item?.message ?? '' };
  }),
  message: run.reason,
  at: run.queuedAt,
});

/** What was heard, and by which watch. */
export class ClueRepository {
  constructor(private readonly knex: Knex) {}

  /** The newest watch of a batch, under way or not. */
  async latestWatch(batchId: string): Promise<string | null> {
    const row = await this.knex('run')
      .where({ batch_id: batchId, kind: 'watch' })
      .orderBy('queued_at', 'desc')
      .first<{ id: string } | undefined>('id');
    return row?.id ?? null;
  }

  /** The watch of a batch that is under way; it does not end before the transaction does. */
  async openWatch(batchId: string, db: Knex): Promise<string | null> {
    const row = await db('run')
      .where({ batch_id: batchId, kind: 'watch' })
      .whereIn('state', ['queued', 'running', 'held'])
      .forUpdate()
      .first<{ id: string } | undefined>('id');
    return row?.id ?? null;
  }

  /** Writes clues down; one that is there already is heard once more. Safe to do twice but for the count. */
  async add(runId: string, clues: readonly HeardClue[], db: Knex = this.knex): Promise<void> {
    if (clues.length === 0) return;
    await db.raw(
      `insert into clue (run_id, source, kind, address, hardware_address, name, mark, times, since, at)
       select ?::uuid, source, kind, address, "hardwareAddress", name, mark, times, to_timestamp(since / 1000),
         to_timestamp(at / 1000)
       from jsonb_to_recordset(?::jsonb) as heard (source text, kind text, address text, "hardwareAddress" text,
         name text, mark text, times integer, since double precision, at double precision)
       on conflict (run_id, source, kind, coalesce(address, ''), coalesce(hardware_address, ''), coalesce(name, ''),
         coalesce(mark, ''))
       do update set times = clue.times + excluded.times, at = greatest(clue.at, excluded.at)`,
      [runId, JSON.stringify(clues)],
    );
  }

  async heard(runId: string): Promise<HeardClue[]> {
    const rows = await this.knex<ClueRow>('clue').where('run_id', runId).orderBy('id');
    return rows.map(toClue);
  }

  /** Clues that a person gave after the one of this id, oldest first. */
  async given(
    runId: string,
    after: string,
    db: Knex = this.knex,
  ): Promise<{ last: string; clues: HeardClue[] }> {
    const rows = await db<ClueRow>('clue')
      .where('run_id', runId)
      .whereIn('source', ['table', 'hand'])
      .where('id', '>', after)
      .orderBy('id');
    return { last: rows.at(-1)?.id ?? after, clues: rows.map(toClue) };
  }
}
