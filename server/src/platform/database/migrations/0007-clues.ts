import type { Knex } from 'knex';

/** What was heard of boards, by the watch that heard it. Nothing of it is a proof; that is a sighting. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table clue (
      id bigint generated always as identity primary key,
      run_id uuid not null references run (id) on delete cascade,
      source text not null,
      kind text not null,
      address text,
      hardware_address text,
      name text,
      mark text,
      times integer not null default 1,
      since timestamptz not null,
      at timestamptz not null
    );
    create unique index clue_once on clue (run_id, source, kind, coalesce(address, ''), coalesce(hardware_address, ''),
      coalesce(name, ''), coalesce(mark, ''));
    create index sighting_signed on sighting (host_key) where key_proven;
    create unique index run_watch_once on run (batch_id) where kind = 'watch' and state in ('queued', 'running', 'held');
  `);
}

/** A watch that goes on is none of the earlier version's. */
export async function down(knex: Knex): Promise<void> {
  await knex.raw(
    `drop table clue; drop index run_watch_once; drop index sighting_signed; delete from run where kind = 'watch'`,
  );
}
