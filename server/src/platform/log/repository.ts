import type { Knex } from 'knex';
import type { LogEntry } from '@nest-mark/core';
import { millis } from '../database/connect';

/** What is written down; never a secret. */
export interface NewEntry {
  kind: string;
  text: string;
  batchId?: string;
  deviceId?: string;
  cardSerial?: string;
}

export interface LogQuery {
  batchId?: string | undefined;
  deviceId?: string | undefined;
  cardSerial?: string | undefined;
  /** Only entries older than this one. */
  before?: string | undefined;
  limit: number;
}

interface Row {
  id: string;
  at: Date;
  kind: string;
  batch_id: string | null;
  device_id: string | null;
  card_serial: string | null;
  text: string;
}

/** Lines of one batch that a record takes in. */
const MOST_OF_BATCH = 100_000;

const toEntry = (row: Row): LogEntry => ({
  id: row.id,
  at: millis(row.at),
  kind: row.kind,
  batchId: row.batch_id,
  deviceId: row.device_id,
  cardSerial: row.card_serial,
  text: row.text,
});

/** The append-only log; the database itself refuses changes to it. */
export class LogRepository {
  constructor(private readonly knex: Knex) {}

  async add(entries: readonly NewEntry[], db: Knex = this.knex): Promise<void> {
    if (entries.length === 0) return;
    await db('log_entry').insert(
      entries.map(({ kind, text, batchId = null, deviceId = null, cardSerial = null }) => ({
        kind,
        text,
        batch_id: batchId,
        device_id: deviceId,
        card_serial: cardSerial,
      })),
    );
  }

  /** Everything about a batch, the oldest first; of a log without measure the newest lines. */
  async ofBatch(batchId: string): Promise<LogEntry[]> {
    const rows = await this.knex<Row>('log_entry')
      .where('batch_id', batchId)
      .orderBy('id', 'desc')
      .limit(MOST_OF_BATCH);
    return rows.reverse().map(toEntry);
  }

  /** Newest first. */
  async list(query: LogQuery): Promise<LogEntry[]> {
    const rows = (await this.knex<Row>('log_entry')
      .modify((select) => {
        if (query.batchId) void select.where('batch_id', query.batchId);
        if (query.deviceId) void select.where('device_id', query.deviceId);
        if (query.cardSerial) void select.where('card_serial', query.cardSerial);
        if (query.before) void select.where('id', '<', query.before);
      })
      .orderBy('id', 'desc')
      .limit(query.limit)) as Row[];
    return rows.map(toEntry);
  }
}
