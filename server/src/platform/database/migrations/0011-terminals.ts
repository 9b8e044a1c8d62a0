import type { Knex } from 'knex';

/** What people wanted kept of terminals to boards. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table terminal_record (
      id uuid primary key,
      device_id uuid not null references device (id) on delete cascade,
      by text not null,
      text text not null default '',
      at timestamptz not null default clock_timestamp(),
      ended_at timestamptz
    );
    create index terminal_record_of_device on terminal_record (device_id, at);
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('drop table terminal_record');
}
