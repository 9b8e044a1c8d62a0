import type { Knex } from 'knex';

/** The tables of the first slice. */
export async function up(knex: Knex): Promise<void> {
  await knex.schema.createTable('batch', (table) => {
    table.uuid('id').primary();
    table.integer('version').notNullable().defaultTo(1);
    /** The plan without its devices and secrets. */
    table.jsonb('plan').notNullable();
    table.timestamp('created_at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
    table.timestamp('updated_at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
  });
  await knex.schema.createTable('device', (table) => {
    table.uuid('id').primary();
    table.uuid('batch_id').notNullable().references('batch.id').onDelete('CASCADE').index();
    table.integer('position').notNullable();
    table.text('nest').notNullable();
    /** A mark is printed on a label, so it must not come back in another batch. */
    table.text('mark').notNullable();
    table.text('host_name').notNullable();
    table.text('role').notNullable();
    table.timestamp('powered_at', { useTz: true });
    table.timestamp('handed_over_at', { useTz: true });
    /** Public half of the host key made beforehand, `type base64`. */
    table.text('host_key');
    table.text('host_key_fingerprint');
  });
  await knex.schema.createTable('secret', (table) => {
    table.uuid('owner_id').notNullable();
    table.text('kind').notNullable();
    /** AES-256-GCM; the key is a file outside the database. */
    table.binary('sealed').notNullable();
    table.primary(['owner_id', 'kind']);
  });
  await knex.schema.createTable('image', (table) => {
    table.uuid('id').primary();
    table.text('title').notNullable();
    table.text('source_path').notNullable();
    table.text('published_sha256').notNullable();
    table.text('state').notNullable();
    table.text('message').notNullable().defaultTo('');
    /** What was found when it was read, null until then. */
    table.jsonb('facts');
    table.timestamp('added_at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
  });
  await knex.schema.createTable('round', (table) => {
    table.uuid('id').primary();
    table.uuid('batch_id').notNullable().references('batch.id').onDelete('CASCADE').index();
    table.integer('number').notNullable();
    table.text('station').notNullable();
    table.text('state').notNullable();
    table.timestamp('started_at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
    table.timestamp('ended_at', { useTz: true });
  });
  await knex.schema.createTable('round_card', (table) => {
    table.uuid('round_id').notNullable().references('round.id').onDelete('CASCADE');
    table.text('slot_id').notNullable();
    table.uuid('device_id').notNullable().index();
    table.jsonb('identity').notNullable();
    table.text('state').notNullable();
    table.double('share').notNullable().defaultTo(0);
    table.text('message').notNullable().defaultTo('');
    table.timestamp('at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
    table.primary(['round_id', 'slot_id']);
  });
  await knex.schema.createTable('scan', (table) => {
    table.uuid('id').primary();
    table.uuid('batch_id').notNullable().references('batch.id').onDelete('CASCADE').index();
    table.text('subnet').notNullable();
    table.integer('port').notNullable();
    table.text('state').notNullable();
    table.integer('done').notNullable().defaultTo(0);
    table.integer('total').notNullable().defaultTo(0);
    table.text('message').notNullable().defaultTo('');
    table.timestamp('at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
  });
  await knex.schema.createTable('sighting', (table) => {
    table.bigIncrements('id');
    table.uuid('batch_id').notNullable().references('batch.id').onDelete('CASCADE').index();
    table.uuid('scan_id').notNullable().index();
    table.text('address').notNullable();
    table.integer('port').notNullable();
    table.text('hardware_address');
    table.text('banner');
    table.text('host_key');
    table.boolean('key_proven').notNullable();
    table.timestamp('at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
  });
  await knex.schema.createTable('idempotency', (table) => {
    table.text('key').primary();
    table.text('request').notNullable();
    table.integer('status').notNullable();
    table.jsonb('body').notNullable();
    table.timestamp('at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
  });
  // No foreign keys: what happened stays on record when a batch goes.
  await knex.schema.createTable('log_entry', (table) => {
    table.bigIncrements('id');
    table.timestamp('at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
    table.text('kind').notNullable();
    table.uuid('batch_id').index();
    table.uuid('device_id').index();
    table.text('card_serial').index();
    table.text('text').notNullable();
  });
  await knex.raw(`
    create function log_entry_is_append_only() returns trigger language plpgsql as $$
    begin
      raise exception 'the log is append-only';
    end $$;
    create trigger log_entry_append_only before update or delete on log_entry
      for each row execute function log_entry_is_append_only();
    create trigger log_entry_no_truncate before truncate on log_entry
      for each statement execute function log_entry_is_append_only();
  `);
}

export async function down(knex: Knex): Promise<void> {
  for (const table of [
    'idempotency',
    'sighting',
    'scan',
    'round_card',
    'round',
    'image',
    'secret',
    'device',
    'batch',
    'log_entry',
  ])
    await knex.schema.dropTable(table);
  await knex.raw('drop function log_entry_is_append_only()');
}
