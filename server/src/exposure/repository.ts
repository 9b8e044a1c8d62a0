import { randomUUID } from 'node:crypto';
import { FoundOpenSchema, type FoundOpen } from '@nest-mark/core';
import type { Knex } from 'knex';
import { millis } from '../platform/database/connect';

export interface StoredLook {
  deviceId: string;
  by: string;
  at: number;
  found: FoundOpen;
}

interface Row {
  device_id: string;
  asked_by: string;
  found: unknown;
  at: Date;
}

/** What was found open on boards; looks are kept, so that it can be told later what was mended. */
export class ExposureRepository {
  constructor(private readonly knex: Knex) {}

  async add(deviceId: string, by: string, found: FoundOpen, db: Knex): Promise<void> {
    await db('exposure').insert({
      id: randomUUID(),
      device_id: deviceId,
      asked_by: by,
      found: JSON.stringify(found),
    });
  }

  /** The newest look at each device of a batch that is in its plan. */
  async newest(batchId: string): Promise<StoredLook[]> {
    const { rows }: { rows: Row[] } = await this.knex.raw(
      `select distinct on (exposure.device_id) exposure.device_id, asked_by, found, at
       from exposure join device on device.id = exposure.device_id
       where device.batch_id = ? and device.retired_at is null
       order by exposure.device_id, at desc`,
      [batchId],
    );
    return rows.map((row) => ({
      deviceId: row.device_id,
      by: row.asked_by,
      at: millis(row.at),
      found: FoundOpenSchema.parse(row.found),
    }));
  }
}
