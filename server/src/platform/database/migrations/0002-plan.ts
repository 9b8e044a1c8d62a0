import type { Knex } from 'knex';

interface OldPlan {
  wifi?: { ssid: string; hidden: boolean };
  network: { subnet: string; port: number };
  [field: string]: unknown;
}

/** Shelves of networks and board profiles, settings of single devices, and what writing a card took. */
export async function up(knex: Knex): Promise<void> {
  await knex.schema.createTable('network', (table) => {
    table.uuid('id').primary();
    table.integer('version').notNullable().defaultTo(1);
    table.jsonb('network').notNullable();
    /** What is wrong with its key, which itself is in the vault; null while none is kept. */
    table.jsonb('secret_faults');
    table.timestamp('created_at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
  });
  // Only profiles that people changed or made; the others ship with the program.
  await knex.schema.createTable('board_profile', (table) => {
    table.text('id').primary();
    table.integer('version').notNullable().defaultTo(1);
    table.jsonb('profile').notNullable();
    table.timestamp('created_at', { useTz: true }).notNullable().defaultTo(knex.fn.now());
  });
  await knex.schema.alterTable('device', (table) => {
    table.text('notes').notNullable().defaultTo('');
    table.jsonb('overrides').notNullable().defaultTo('{}');
  });
  await knex.schema.alterTable('image', (table) => {
    table.jsonb('about').notNullable().defaultTo('{"wordBits":null,"flavour":null}');
  });
  await knex.schema.alterTable('round_card', (table) => {
    table.text('slot_title').notNullable().defaultTo('');
    table.text('card_kind').notNullable().defaultTo('');
    table.bigInteger('octets');
    table.double('write_seconds');
    table.double('verify_seconds');
  });
  const batches = await knex<{ id: string; plan: OldPlan }>('batch').select('id', 'plan');
  for (const { id, plan } of batches) {
    const { wifi, ...rest } = plan;
    if (!wifi) continue;
    const secrets: unknown[] = await knex('secret').where({ owner_id: id, kind: 'wifiPassphrase' });
    // The network takes the batch's id: its sealed key is bound to that and stays readable.
    await knex('network').insert({
      id,
      network: JSON.stringify({
        title: wifi.ssid,
        ssid: wifi.ssid,
        ssidForm: 'text',
        security: 'wpa2-psk',
        hidden: wifi.hidden,
        bands: ['2.4 GHz'],
        channels: [],
        country: '',
        purpose: 'bench',
        subnet: plan.network.subnet,
        poolSize: null,
        clientLimit: null,
        isolation: false,
        heard: true,
      }),
      secret_faults: secrets.length > 0 ? '[]' : null,
    });
    await knex('batch')
      .where({ id })
      .update({ plan: JSON.stringify({ ...rest, networks: [{ networkId: id, priority: 10 }] }) });
  }
}

export async function down(knex: Knex): Promise<void> {
  await knex.schema.alterTable('round_card', (table) => {
    table.dropColumns('slot_title', 'card_kind', 'octets', 'write_seconds', 'verify_seconds');
  });
  await knex.schema.alterTable('image', (table) => table.dropColumn('about'));
  await knex.schema.alterTable('device', (table) => table.dropColumns('notes', 'overrides'));
  await knex.schema.dropTable('board_profile');
  await knex.schema.dropTable('network');
}
