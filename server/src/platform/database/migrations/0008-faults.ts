import type { Knex } from 'knex';

/** What people answered about boards that did not appear, and what they mended: from it each bench learns. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table fault_answer (
      id bigint generated always as identity primary key,
      batch_id uuid not null references batch (id) on delete cascade,
      device_ids uuid[] not null,
      check_id text not null,
      answer text not null,
      drill boolean not null,
      by text not null,
      at timestamptz not null default now(),
      unsaid_at timestamptz
    );
    create index fault_answer_batch on fault_answer (batch_id, id);
    create table fault_mend (
      id bigint generated always as identity primary key,
      batch_id uuid not null references batch (id) on delete cascade,
      device_ids uuid[] not null,
      cause text not null,
      by text not null,
      at timestamptz not null default now(),
      in_vain_at timestamptz
    );
    create index fault_mend_batch on fault_mend (batch_id, id);
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('drop table fault_answer; drop table fault_mend');
}
