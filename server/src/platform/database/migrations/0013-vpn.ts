import type { Knex } from 'knex';

/** Who has which place in the tunnel of a batch: its hub and its devices. Private halves are in the vault. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table vpn_peer (
      /** The batch itself for its hub, a device otherwise. */
      owner_id uuid primary key,
      batch_id uuid not null references batch (id) on delete cascade,
      /** Counts addresses from the beginning of the range, so that another range moves nobody. */
      number integer not null check (number > 0),
      public_key text not null unique,
      created_at timestamptz not null default clock_timestamp(),
      unique (batch_id, number)
    );
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('drop table vpn_peer');
}
