import type { Knex } from 'knex';
import type { TerminalRecord } from '@nest-mark/core';
import { millis } from '../platform/database/connect';

interface Row {
  id: string;
  device_id: string;
  by: string;
  text: string;
  at: Date;
  ended_at: Date | null;
}

/** Records that are told of a device. */
const MOST_TOLD = 10;

/** What was kept of terminals. */
export class TerminalRepository {
  constructor(private readonly knex: Knex) {}

  async begin(id: string, deviceId: string, by: string, db: Knex): Promise<void> {
    await db<Row>('terminal_record').insert({ id, device_id: deviceId, by });
  }

  /** Keeps what was shown so far. */
  async keep(id: string, text: string): Promise<void> {
    await this.knex<Row>('terminal_record').where({ id }).update({ text });
  }

  async end(id: string, text: string, db: Knex): Promise<void> {
    await db('terminal_record')
      .where({ id })
      .update({ text, ended_at: db.raw('clock_timestamp()') });
  }

  /** Newest first. */
  async ofDevice(deviceId: string): Promise<TerminalRecord[]> {
    const rows = await this.knex<Row>('terminal_record')
      .where({ device_id: deviceId })
      .orderBy([{ column: 'at', order: 'desc' }, { column: 'id' }])
      .limit(MOST_TOLD);
    return rows.map(({ id, by, text, at, ended_at: endedAt }) => ({
      id,
      by,
      text,
      at: millis(at),
      endedAt: endedAt && millis(endedAt),
    }));
  }
}
