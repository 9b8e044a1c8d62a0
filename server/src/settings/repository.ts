import type { Knex } from 'knex';
import { StationSettingsSchema, type StationSettings } from '@nest-mark/core';

/** Row of what an earlier version, which knew one station only, kept for all of them. */
const FOR_ALL = 'station';

/** What people set at a station, one row for each. */
export class SettingRepository {
  constructor(
    private readonly knex: Knex,
    private readonly name: string,
  ) {}

  async station(): Promise<StationSettings> {
    const rows = await this.knex('setting')
      .whereIn('name', [this.row, FOR_ALL])
      .select<{ name: string; value: unknown }[]>('name', 'value');
    const row = rows.find(({ name }) => name === this.row) ?? rows[0];
    return StationSettingsSchema.parse(row?.value ?? {});
  }

  async setStation(settings: StationSettings): Promise<void> {
    await this.knex('setting')
      .insert({ name: this.row, value: JSON.stringify(settings) })
      .onConflict('name')
      .merge();
  }

  /** Does something while no other station does it on this database. */
  async alone(what: string, work: () => Promise<void>): Promise<void> {
    await this.knex.transaction(async (db) => {
      await db.raw('select pg_advisory_xact_lock(hashtextextended(?, 0))', [`nest-mark ${what}`]);
      await work();
    });
  }

  private get row(): string {
    return `${FOR_ALL} ${this.name}`;
  }
}
