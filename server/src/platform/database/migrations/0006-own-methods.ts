import type { Knex } from 'knex';

/** First-boot methods that people describe. */
export async function up(knex: Knex): Promise<void> {
  await knex.schema.createTable('own_method', (table) => {
    table.uuid('id').primary();
    table.integer('version').notNullable().defaultTo(1);
    table.jsonb('description').notNullable();
    table.timestamp('created_at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
  });
}

/** Images that took one are as they were detected again. */
export async function down(knex: Knex): Promise<void> {
  await knex.raw(
    `update image set about = jsonb_set(about, '{chosenMethod}', 'null') where about->>'chosenMethod' like 'own:%'`,
  );
  await knex.schema.dropTable('own_method');
}
