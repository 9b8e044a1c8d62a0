import type { Knex } from 'knex';

/** Who was there before boards were powered, and which host a person said is which device. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table remembered (
      batch_id uuid primary key references batch (id) on delete cascade,
      hosts jsonb not null,
      count integer not null,
      at timestamptz not null default now()
    );
    create table named_board (
      device_id uuid primary key references device (id) on delete cascade,
      hardware_address text not null unique,
      by text not null,
      at timestamptz not null default now()
    );
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('drop table remembered; drop table named_board');
}
