import type { Knex } from 'knex';
import type { ServerEvent } from '@nest-mark/core';
import { packed } from './packed';

export interface KeptEvent {
  id: number;
  body: ServerEvent;
}

/** Channel on which the database tells that there are new events. */
export const EVENT_CHANNEL = 'nest_event';
/** Channel of what is not kept. */
export const FIGURE_CHANNEL = 'nest_figures';

/**
 * Events that browsers can take up again. Numbers are given out under a lock, so that whoever has seen one has seen
 * every smaller one: without it a transaction that ends late would slip in behind.
 */
export class EventRepository {
  constructor(private readonly knex: Knex) {}

  async add(events: readonly ServerEvent[]): Promise<void> {
    await this.knex.raw(
      `with l as materialized (select pg_advisory_xact_lock(hashtextextended('nest-mark events', 0))),
       e as (insert into event (body) select body from l, jsonb_array_elements(?::jsonb) as given (body) returning id)
       select pg_notify('${EVENT_CHANNEL}', max(id)::text) from e`,
      [JSON.stringify(events)],
    );
  }

  /** Tells the other stations figures that nobody needs later. Those of hundreds of cards at once are left out. */
  async tell(from: string, event: ServerEvent): Promise<void> {
    const payload = packed(JSON.stringify({ from, event }));
    if (payload === null) return;
    await this.knex.raw(`select pg_notify('${FIGURE_CHANNEL}', ?)`, [payload]);
  }

  /** Events after one, in order. */
  async after(id: number, limit = 1000): Promise<KeptEvent[]> {
    const rows = await this.knex('event')
      .where('id', '>', id)
      .orderBy('id')
      .limit(limit)
      .select<{ id: string; body: ServerEvent }[]>('id', 'body');
    return rows.map((row) => ({ id: Number(row.id), body: row.body }));
  }

  /** The number of the newest event, and of the oldest one that is kept; 0 where there is none. */
  async bounds(): Promise<{ oldest: number; newest: number }> {
    const row = await this.knex('event')
      .min({ oldest: 'id' })
      .max({ newest: 'id' })
      .first<{ oldest: string | null; newest: string | null }>();
    return { oldest: Number(row.oldest ?? 0), newest: Number(row.newest ?? 0) };
  }

  /** Forgets what is older than a day, but for the newest, which says where the counting is. */
  async forgetOld(): Promise<void> {
    await this.knex.raw(
      `delete from event where at < clock_timestamp() - interval '1 day' and id < (select max(id) from event)`,
    );
  }
}
