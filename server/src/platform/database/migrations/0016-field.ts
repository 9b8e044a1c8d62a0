import type { Knex } from 'knex';

/** Trips into the field: their plans, rehearsals and visits. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table field (
      batch_id uuid primary key references batch (id) on delete cascade,
      version integer not null default 1,
      plan jsonb not null
    );
    create table field_tick (
      batch_id uuid not null references batch (id) on delete cascade,
      check_id text not null,
      primary key (batch_id, check_id)
    );
    create table field_bundle (
      batch_id uuid primary key references batch (id) on delete cascade,
      at timestamptz not null default clock_timestamp(),
      made_of text not null
    );
    create table rehearsal (
      id uuid primary key,
      batch_id uuid not null references batch (id) on delete cascade,
      purpose text not null check (purpose in ('rehearsal', 'site')),
      network_id uuid not null,
      network_version integer not null,
      network text not null,
      begun_at timestamptz not null default clock_timestamp(),
      begun_by text not null,
      ended_at timestamptz,
      passed boolean,
      verdict text not null default '',
      check ((ended_at is null) = (passed is null))
    );
    create index rehearsal_of_batch on rehearsal (batch_id, begun_at);
    create table rehearsal_board (
      rehearsal_id uuid not null references rehearsal (id) on delete cascade,
      device_id uuid not null,
      host_name text not null,
      place integer not null,
      address text,
      proved_at timestamptz,
      primary key (rehearsal_id, device_id),
      check ((address is null) = (proved_at is null))
    );
    create table field_visit (
      id uuid primary key,
      batch_id uuid not null references batch (id) on delete cascade,
      device_id uuid not null references device (id) on delete cascade,
      at timestamptz not null default clock_timestamp(),
      who text not null,
      note text not null,
      volts double precision
    );
    create index field_visit_of_batch on field_visit (batch_id, at);
    create unique index run_rehearsal_once on run (batch_id)
      where kind = 'rehearsal' and state in ('queued', 'running', 'held');
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw(`
    drop index run_rehearsal_once;
    delete from run where kind = 'rehearsal';
    drop table field_visit;
    drop table rehearsal_board;
    drop table rehearsal;
    drop table field_bundle;
    drop table field_tick;
    drop table field;
  `);
}
