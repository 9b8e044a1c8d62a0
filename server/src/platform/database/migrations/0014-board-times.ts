import type { Knex } from 'knex';

/** How long boards took to be brought up, for forecasts. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table board_time (
      run_id uuid not null references run (id) on delete cascade,
      device_id uuid not null references device (id) on delete cascade,
      /** Board profile and image, as they were. */
      kind text not null,
      /** Whether packages were upgraded. */
      updated boolean not null,
      /** Stand-ins teach nothing about boards, but about stand-ins. */
      practice boolean not null,
      seconds double precision not null,
      at timestamptz not null default clock_timestamp(),
      primary key (run_id, device_id)
    );
    create index board_time_of_kind on board_time (practice, kind, updated, at desc);
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('drop table board_time');
}
