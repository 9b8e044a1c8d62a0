import type { Knex } from 'knex';

/** How strongly networks are heard where boards will be. What was read stays when its network goes off the shelf. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table signal_reading (
      id uuid primary key,
      batch_id uuid not null references batch (id) on delete cascade,
      place text not null,
      network_id uuid not null,
      network text not null,
      band text not null,
      dbm real,
      about boolean not null,
      sensor text not null check (sensor in ('adapter', 'board')),
      sensor_name text not null,
      at timestamptz not null default clock_timestamp(),
      by text not null
    );
    create index signal_reading_of_batch on signal_reading (batch_id, at);
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('drop table signal_reading');
}
