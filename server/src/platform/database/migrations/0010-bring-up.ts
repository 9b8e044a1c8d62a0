import type { Knex } from 'knex';

/** The bench's own key of a batch, and how the steps of bringing boards up stand. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table batch add column bench_key text;
    create table board_step (
      run_id uuid not null references run (id) on delete cascade,
      device_id uuid not null references device (id) on delete cascade,
      step_id text not null,
      state text not null,
      message text not null,
      /** What it did in this run; kept when it is asked anew and has nothing to do any more. */
      did text not null default '',
      findings jsonb not null default '[]',
      /** The boot in which something was ordered, before it was. */
      boot_id text,
      at timestamptz not null default clock_timestamp(),
      primary key (run_id, device_id, step_id)
    );
    create index board_step_of_device on board_step (device_id, at);
    create table skipped_step (
      device_id uuid not null references device (id) on delete cascade,
      step_id text not null,
      reason text not null,
      by text not null,
      at timestamptz not null default clock_timestamp(),
      primary key (device_id, step_id)
    );
    create unique index run_item_board_once on run_item (device_id)
      where kind = 'bring-up' and state in ('queued', 'running');
    create index run_item_of_device on run_item (device_id, kind);
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw(`
    drop index run_item_of_device;
    drop index run_item_board_once;
    drop table skipped_step;
    drop table board_step;
    delete from run where kind = 'bring-up';
    alter table batch drop column bench_key;
  `);
}
