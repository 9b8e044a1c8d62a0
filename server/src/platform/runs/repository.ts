import type { Knex } from 'knex';
import { millis, millisOrNull } from '../database/connect';
import type { HeldSlot, ItemEnd, NewRun, Run, RunItem, RunKind, RunState, Wish } from './model';
import { underWay } from './model';

interface RunRow {
  id: string;
  kind: RunKind;
  station: string;
  batch_id: string | null;
  state: RunState;
  begun_by: string;
  reason: string;
  order: unknown;
  wish: Wish | null;
  attempts: number;
  queued_at: Date;
  started_at: Date | null;
  ended_at: Date | null;
}

interface ItemRow {
  run_id: string;
  subject: string;
  device_id: string | null;
  slot_id: string | null;
  identity: HeldSlot['identity'] | null;
  state: RunItem['state'];
  step: string;
  cursor: string;
  total: string;
  attempts: number;
  message: string;
  at: Date;
}

/** Channel on which stations are told that something is asked of a run. */
export const WISH_CHANNEL = 'nest_wish';

const itemUnderWay = ['queued', 'running'];

const toRun = (row: RunRow): Run => ({
  id: row.id,
  kind: row.kind,
  station: row.station,
  batchId: row.batch_id,
  state: row.state,
  begunBy: row.begun_by,
  reason: row.reason,
  attempts: row.attempts,
  queuedAt: millis(row.queued_at),
  startedAt: millisOrNull(row.started_at),
  endedAt: millisOrNull(row.ended_at),
});

const toItem = (row: ItemRow): RunItem => ({
  runId: row.run_id,
  subject: row.subject,
  deviceId: row.device_id,
  state: row.state,
  step: row.step,
  cursor: Number(row.cursor),
  total: Number(row.total),
  attempts: row.attempts,
  message: row.message,
  at: millis(row.at),
});

/** Runs and their items. */
export class RunRepository {
  constructor(private readonly knex: Knex) {}

  async create(run: NewRun, station: string, db: Knex): Promise<void> {
    await db('run').insert({
      id: run.id,
      kind: run.kind,
      station,
      batch_id: run.batchId ?? null,
      state: 'queued',
      begun_by: run.begunBy,
      order: JSON.stringify(run.order ?? {}),
    });
    await db('run_item').insert(
      run.items.map(({ subject, deviceId, slot, total = 0 }, position) => ({
        run_id: run.id,
        subject,
        position: position + 1,
        kind: run.kind,
        station,
        device_id: deviceId ?? null,
        slot_id: slot?.id ?? null,
        identity: slot ? JSON.stringify(slot.identity) : null,
        state: 'queued',
        total,
      })),
    );
  }

  async find(id: string, db: Knex = this.knex): Promise<Run | null> {
    const row = await db<RunRow>('run').where({ id }).first();
    return row ? toRun(row) : null;
  }

  /** The newest run of a kind that is about a batch; null where there was none. */
  async newestOf(kind: RunKind, batchId: string): Promise<Run | null> {
    const row = await this.knex<RunRow>('run')
      .where({ kind, batch_id: batchId })
      .orderBy([{ column: 'queued_at', order: 'desc' }, { column: 'id' }])
      .first();
    return row ? toRun(row) : null;
  }

  async items(runId: string): Promise<RunItem[]> {
    const rows = await this.knex<ItemRow>('run_item').where('run_id', runId).orderBy('position');
    return rows.map(toItem);
  }

  /** What the work was told when it was made; checked by whoever reads it. */
  async orderOf(id: string): Promise<unknown> {
    return (await this.knex<RunRow>('run').where({ id }).first('order'))?.order ?? null;
  }

  /** The time by the database's clock, in milliseconds since 1970: that of all stations. */
  async now(): Promise<number> {
    const { rows }: { rows: { now: Date }[] } = await this.knex.raw('select clock_timestamp() as now');
    return rows[0] ? millis(rows[0].now) : Date.now();
  }

  /** Milliseconds since a run was put into the queue, by the database's clock. */
  async age(id: string): Promise<number> {
    const row = await this.knex('run')
      .where({ id })
      .first<{ age: number } | undefined>(
        this.knex.raw('extract(epoch from clock_timestamp() - queued_at)::double precision * 1000 as age'),
      );
    return row?.age ?? Infinity;
  }

  /**
   * Takes a run up: once for each time that it is queued, whoever else asks for it.
   * @param token drawn by whoever asks; asking again with the same one gets the same answer
   * @returns false when it is not waiting, or is another station's
   */
  async begin(id: string, station: string, token: string): Promise<boolean> {
    const count = await this.knex('run')
      .where({ id, station })
      .where((asked) => {
        void asked.where('state', 'queued').orWhere('taken', token);
      })
      .update({
        state: 'running',
        taken: token,
        attempts: this.knex.raw(`case when state = 'queued' then attempts + 1 else attempts end`),
        started_at: this.knex.raw('clock_timestamp()'),
      });
    return count > 0;
  }

  /** Notes that a run is held or goes on; one that has ended stays as it is. @returns whether that was a change */
  async setHeld(id: string, held: boolean): Promise<boolean> {
    const [from, to] = held ? ['running', 'held'] : ['held', 'running'];
    return (await this.knex('run').where({ id, state: from }).update({ state: to })) > 0;
  }

  /** Writes down how a run ended, once. @returns false when that is on record already */
  async end(
    id: string,
    state: Exclude<RunState, 'queued' | 'running' | 'held'>,
    reason: string,
    db: Knex,
  ): Promise<boolean> {
    const count = await db('run')
      .where({ id })
      .whereIn('state', [...underWay])
      .update({ state, reason, wish: null, ended_at: db.raw('clock_timestamp()') });
    return count > 0;
  }

  /** Puts a run that was cut off back into the queue, with those of its items that have not ended. */
  async queueAgain(id: string, db: Knex): Promise<void> {
    await db('run')
      .where({ id })
      .whereIn('state', [...underWay])
      .update({ state: 'queued' });
    await db('run_item')
      .where('run_id', id)
      .whereIn('state', itemUnderWay)
      .update({ state: 'queued', step: '', cursor: 0 });
  }

  /** Notes the step that an item is at; one that has ended stays as it ended. */
  async step(runId: string, subject: string, step: string, cursor = 0): Promise<void> {
    await this.knex('run_item')
      .where({ run_id: runId, subject })
      .whereIn('state', itemUnderWay)
      .update({
        state: 'running',
        step,
        cursor,
        attempts: this.knex.raw(`case when state = 'queued' then attempts + 1 else attempts end`),
        at: this.knex.fn.now(),
      });
  }

  /** Notes how far the step of an item is. */
  async advance(runId: string, subject: string, cursor: number): Promise<void> {
    await this.knex('run_item')
      .where({ run_id: runId, subject })
      .whereIn('state', itemUnderWay)
      .update({ cursor });
  }

  /** Writes down how an item ended, once. @returns false when that is on record already */
  async endItem(runId: string, subject: string, { state, message }: ItemEnd, db: Knex): Promise<boolean> {
    const count = await db('run_item')
      .where({ run_id: runId, subject })
      .whereIn('state', itemUnderWay)
      .update({ state, message, at: db.fn.now() });
    return count > 0;
  }

  /** Ends whatever of a run has not ended. */
  async endItems(runId: string, end: ItemEnd, db: Knex): Promise<void> {
    await db('run_item')
      .where('run_id', runId)
      .whereIn('state', itemUnderWay)
      .update({ ...end, at: db.fn.now() });
  }

  /** Runs of a station that have not ended, the oldest first. */
  async open(station: string): Promise<Run[]> {
    const rows = await this.knex<RunRow>('run')
      .where({ station })
      .whereIn('state', [...underWay])
      .orderBy('queued_at');
    return rows.map(toRun);
  }

  /** The run under way that is about something; null when nothing is. */
  async about(kind: RunKind, subject: string): Promise<Run | null> {
    const row = await this.knex('run')
      .join('run_item', 'run_item.run_id', 'run.id')
      .where({ 'run.kind': kind, 'run_item.subject': subject })
      .whereIn('run_item.state', itemUnderWay)
      .first<RunRow | undefined>('run.*');
    return row ? toRun(row) : null;
  }

  /** Slots that something under way has for itself; one whose item has ended is free while the others go on. */
  async heldSlots(db: Knex = this.knex): Promise<HeldSlot[]> {
    const rows = await db('run_item')
      .join('run', 'run.id', 'run_item.run_id')
      .whereIn('run.state', [...underWay])
      .whereIn('run_item.state', itemUnderWay)
      .whereNotNull('run_item.slot_id')
      .select<(ItemRow & { kind: RunKind; station: string })[]>('run_item.*');
    return rows.flatMap(({ run_id: runId, kind, station, slot_id: slotId, device_id: deviceId, identity }) =>
      slotId !== null && identity ? [{ runId, kind, station, slotId, deviceId, identity }] : [],
    );
  }

  /** Keeps others from taking slots until the transaction ends. */
  async lockSlots(db: Knex): Promise<void> {
    await db.raw(`select pg_advisory_xact_lock(hashtextextended('nest-mark slots', 0))`);
  }

  /**
   * Leaves word for whoever is at a run, wherever that is. What was cancelled stays so, whatever is asked before it is
   * heard.
   * @returns whether there is such a run to be told
   */
  async wish(id: string, wish: Wish): Promise<boolean> {
    const count = await this.knex('run')
      .where({ id })
      .whereIn('state', [...underWay])
      .update({ wish: this.knex.raw(`case when wish = 'cancel' then wish else ? end`, [wish]) });
    if (count > 0) await this.knex.raw(`select pg_notify('${WISH_CHANNEL}', ?)`, [id]);
    return count > 0;
  }

  /** What is asked of some runs, told once. */
  async takeWish(id: string): Promise<Wish | null> {
    const { rows }: { rows: { wish: Wish }[] } = await this.knex.raw(
      `with asked as (select id, wish from run where id = ? and wish is not null for update)
       update run set wish = null from asked where run.id = asked.id returning asked.wish`,
      [id],
    );
    return rows[0]?.wish ?? null;
  }
}
