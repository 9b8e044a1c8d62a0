import type { Knex } from 'knex';
import { BenchSettingsSchema, type BenchSettings } from '@nest-mark/core';

/** What people set at the bench, one row for each name. */
export class SettingRepository {
  constructor(private readonly knex: Knex) {}

  async bench(): Promise<BenchSettings> {
    const row = await this.knex('setting').where('name', 'bench').first<{ value: unknown } | undefined>();
    return BenchSettingsSchema.parse(row?.value ?? {});
  }

  async setBench(settings: BenchSettings): Promise<void> {
    await this.knex('setting')
      .insert({ name: 'bench', value: JSON.stringify(settings) })
      .onConflict('name')
      .merge();
  }
}
