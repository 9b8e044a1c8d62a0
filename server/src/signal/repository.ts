import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import { ReadingSchema, type HeardSignal, type Reading } from '@nest-mark/core/in-air';
import { millis } from '../platform/database/connect';

interface Row {
  id: string;
  place: string;
  network_id: string;
  network: string;
  band: string;
  dbm: number | null;
  about: boolean;
  sensor: string;
  sensor_name: string;
  at: Date;
  by: string;
}

/** Readings that are shown; older ones stay in the database. */
const MOST = 5000;

/** What was read at places, by batch. */
export class ReadingRepository {
  constructor(private readonly knex: Knex) {}

  /** The oldest first. */
  async list(batchId: string): Promise<Reading[]> {
    const rows = await this.knex('signal_reading')
      .where('batch_id', batchId)
      .orderBy([{ column: 'at', order: 'desc' }, 'id'])
      .limit(MOST)
      .select<Row[]>();
    return rows
      .reverse()
      .map(({ network_id: networkId, sensor_name: sensorName, at, ...row }) =>
        ReadingSchema.parse({ ...row, networkId, sensorName, at: millis(at) }),
      );
  }

  async add(
    batchId: string,
    where: Pick<Reading, 'place' | 'sensor' | 'sensorName' | 'by'>,
    heard: readonly HeardSignal[],
    db: Knex,
  ): Promise<void> {
    await db('signal_reading').insert(
      heard.map(({ networkId, ...one }) => ({
        ...one,
        id: randomUUID(),
        batch_id: batchId,
        network_id: networkId,
        place: where.place,
        sensor: where.sensor,
        sensor_name: where.sensorName,
        by: where.by,
      })),
    );
  }

  /** @returns how many readings there were */
  forget(batchId: string, place: string, db: Knex): Promise<number> {
    return db('signal_reading').where({ batch_id: batchId, place }).delete();
  }
}
