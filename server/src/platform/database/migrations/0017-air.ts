import type { Knex } from 'knex';

/** Trials of networks' keys. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table network_trial (
      id uuid primary key,
      network_id uuid not null references network (id) on delete cascade,
      network_version integer not null,
      verdict text not null,
      message text not null,
      signal real,
      seconds real not null,
      adapter text not null,
      station text not null,
      at timestamptz not null default clock_timestamp()
    );
    create index network_trial_of_network on network_trial (network_id, at);
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('drop table network_trial');
}
