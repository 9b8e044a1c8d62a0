import type { Knex } from 'knex';
import type { Naming, Remembered } from '@nest-mark/core';
import { millis } from '../platform/database/connect';

/** What was remembered of who was there. */
export interface Before extends Remembered {
  /** Hardware addresses and addresses of those hosts. */
  known: ReadonlySet<string>;
}

/** Who was there before boards were powered, and whom people named. */
export class BeforeRepository {
  constructor(private readonly knex: Knex) {}

  /** Remembers anew; what was remembered before is forgotten. */
  async remember(batchId: string, known: readonly string[], count: number, db: Knex): Promise<void> {
    await db.raw(
      `insert into remembered (batch_id, hosts, count) values (?, ?::jsonb, ?)
       on conflict (batch_id) do update set hosts = excluded.hosts, count = excluded.count, at = now()`,
      [batchId, JSON.stringify(known), count],
    );
  }

  async forget(batchId: string): Promise<void> {
    await this.knex('remembered').where('batch_id', batchId).del();
  }

  async before(batchId: string): Promise<Before | null> {
    const row = await this.knex('remembered')
      .where('batch_id', batchId)
      .first<{ hosts: string[]; count: number; at: Date } | undefined>();
    return row ? { at: millis(row.at), hosts: row.count, known: new Set(row.hosts) } : null;
  }

  /** Says that a board is a device's; of a board and of a device the last word counts. */
  async name(
    { deviceId, hardwareAddress }: Naming & { hardwareAddress: string },
    by: string,
    db: Knex,
  ): Promise<void> {
    // One after the other: two that name the same board at once would both find nothing to replace.
    await db.raw('lock table named_board in share row exclusive mode');
    await db('named_board').where('device_id', deviceId).orWhere('hardware_address', hardwareAddress).del();
    await db('named_board').insert({ device_id: deviceId, hardware_address: hardwareAddress, by });
  }

  async unname(deviceId: string, db: Knex): Promise<void> {
    await db('named_board').where('device_id', deviceId).del();
  }

  /** Devices of a batch by the hardware address that somebody said is theirs. */
  async named(batchId: string): Promise<Map<string, string>> {
    const rows = await this.knex('named_board')
      .join('device', 'device.id', 'named_board.device_id')
      .where({ batch_id: batchId, retired_at: null })
      .select<{ hardware_address: string; device_id: string }[]>('hardware_address', 'device_id');
    return new Map(rows.map(({ hardware_address: hardware, device_id: device }) => [hardware, device]));
  }
}
