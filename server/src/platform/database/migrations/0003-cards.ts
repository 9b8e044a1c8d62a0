import type { Knex } from 'knex';

/** Records of single cards, what is set at the bench, and images that are being sent. */
export async function up(knex: Knex): Promise<void> {
  await knex.schema.createTable('card', (table) => {
    /** Serial number as the reader gives it, else made up at the first writing and found again by what was written. */
    table.text('key').primary();
    table.text('model').notNullable();
    table.bigInteger('size').notNullable();
    table.text('note').notNullable().defaultTo('');
    table.boolean('retired').notNullable().defaultTo(false);
    table.timestamp('first_seen', { useTz: true }).notNullable().defaultTo(knex.fn.now());
    /** The last proof of its size and health, null when there was none. */
    table.jsonb('proof');
  });
  await knex.schema.alterTable('round_card', (table) => {
    table.text('card_key').nullable().index();
    table.text('fault').nullable();
  });
  // Boards whose flash is written through a jumper start only once it is out again.
  await knex.schema.alterTable('device', (table) => {
    table.timestamp('carrier_done_at', { useTz: true });
  });
  await knex.raw(`update round_card set card_key = identity->>'serial' where identity->>'serial' <> ''`);
  await knex.raw(`
    insert into card (key, model, size)
    select distinct on (card_key) card_key, split_part(card_kind, ',', 1), (identity->>'size')::bigint
    from round_card where card_key is not null order by card_key, at desc`);
  await knex.schema.createTable('setting', (table) => {
    table.text('name').primary();
    table.jsonb('value').notNullable();
  });
  await knex.schema.createTable('upload', (table) => {
    table.uuid('id').primary();
    table.text('name').notNullable();
    table.bigInteger('size').notNullable();
    /** When the file was changed last on the sender's disk, milliseconds; tells a file from another of its name. */
    table.bigInteger('modified').notNullable();
    table.text('title').notNullable();
    table.text('published_sha256').notNullable();
    table.timestamp('began_at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
  });
}

export async function down(knex: Knex): Promise<void> {
  await knex.schema.dropTable('upload');
  await knex.schema.dropTable('setting');
  await knex.schema.alterTable('device', (table) => table.dropColumn('carrier_done_at'));
  await knex.schema.alterTable('round_card', (table) => table.dropColumns('card_key', 'fault'));
  await knex.schema.dropTable('card');
}
