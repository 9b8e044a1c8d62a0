import type { Knex } from 'knex';

/** Sizes of labels that were measured, who took devices over, what was found open on boards, and finding all of it. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table label_size (
      id uuid primary key,
      title text not null,
      size jsonb not null,
      created_at timestamptz not null default clock_timestamp()
    );
    create unique index label_size_title on label_size (lower(title));
    alter table device
      add column taken_over_by text,
      add column taken_over_at timestamptz,
      add column secrets_forgotten_at timestamptz,
      add column retired_reason text not null default '';
    create table exposure (
      id uuid primary key,
      device_id uuid not null references device (id) on delete cascade,
      asked_by text not null,
      /** What was found, without judgement: that is made anew with each later version's rules. */
      found jsonb not null,
      at timestamptz not null default clock_timestamp()
    );
    create index exposure_of_device on exposure (device_id, at);
    create unique index run_exposure_once on run (batch_id)
      where kind = 'exposure' and state in ('queued', 'running', 'held');
    create index device_host_name on device (lower(host_name) text_pattern_ops);
    create index device_print on device (host_key_fingerprint text_pattern_ops);
    create index sighting_hardware on sighting (hardware_address) where key_proven;
    create index card_key_prefix on card (lower(key) text_pattern_ops);
  `);
  // Any part of a name is found by trigrams. Where the database does not lend that to us, names are read one by one.
  await knex.raw(`
    do $$ begin
      create extension if not exists pg_trgm;
      create index device_host_name_parts on device using gin (lower(host_name) gin_trgm_ops);
    exception when others then
      raise notice 'names are found without an index: %', sqlerrm;
    end $$`);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw(`
    drop index if exists device_host_name_parts;
    drop index card_key_prefix;
    drop index sighting_hardware;
    drop index device_print;
    drop index device_host_name;
    drop index run_exposure_once;
    delete from run where kind = 'exposure';
    drop table exposure;
    alter table device
      drop column retired_reason,
      drop column secrets_forgotten_at,
      drop column taken_over_at,
      drop column taken_over_by;
    drop table label_size;
  `);
}
