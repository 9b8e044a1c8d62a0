import type { Knex } from 'knex';

/** Moves of batches to other networks, and where each board is in one. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table move (
      id uuid primary key,
      batch_id uuid not null references batch (id) on delete cascade,
      version integer not null default 1,
      plan jsonb not null,
      created_at timestamptz not null default clock_timestamp(),
      put_away_at timestamptz
    );
    create unique index move_once on move (batch_id) where put_away_at is null;
    create table board_move (
      move_id uuid not null references move (id) on delete cascade,
      device_id uuid not null references device (id) on delete cascade,
      state text not null,
      message text not null,
      at timestamptz not null default clock_timestamp(),
      primary key (move_id, device_id)
    );
    create unique index run_move_once on run (batch_id)
      where kind = 'move' and state in ('queued', 'running', 'held');
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw(`
    drop index run_move_once;
    delete from run where kind = 'move';
    drop table board_move;
    drop table move;
  `);
}
