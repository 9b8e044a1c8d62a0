import { randomInt } from 'node:crypto';
import type { Knex } from 'knex';
import { drawMark, isPlainName, plainName } from '@nest-mark/core';

interface MarkRow {
  id: string;
  mark: string;
  host_name: string;
  batch_id: string;
}

/** Marks that came twice, which the next constraint refuses: the younger device gets another one, and that is told. */
async function redrawDoubleMarks(knex: Knex): Promise<void> {
  const rows = await knex<MarkRow & { position: number }>('device')
    .join('batch', 'batch.id', 'device.batch_id')
    .orderBy(['batch.created_at', 'device.position'])
    .select<MarkRow[]>('device.id', 'device.mark', 'device.host_name', 'device.batch_id');
  const taken = new Set(rows.map(({ mark }) => mark));
  const seen = new Set<string>();
  for (const { id, mark, host_name: hostName, batch_id: batchId } of rows) {
    if (!seen.has(mark)) {
      seen.add(mark);
      continue;
    }
    const fresh = drawMark((below) => randomInt(below), taken);
    taken.add(fresh);
    seen.add(fresh);
    await knex('device').where({ id }).update({ mark: fresh });
    await knex('log_entry').insert({
      kind: 'plan',
      batch_id: batchId,
      device_id: id,
      text: `${hostName} got the mark ${fresh}: two devices had ${mark}. Print a new label and write its card anew.`,
    });
  }
}

/** Fields that hold several lines; everything else in a plan, a network or a board profile is a single one. */
const ofSeveralLines = new Set(['keys', 'notes', 'content', 'commands', 'bootLines', 'ssid']);

/** The same value with control characters taken out of names, as the schemas now ask for. */
function withPlainNames(value: unknown, field = ''): unknown {
  if (typeof value === 'string')
    return ofSeveralLines.has(field) || isPlainName(value) ? value : plainName(value);
  if (Array.isArray(value)) return value.map((item) => withPlainNames(item, field));
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, withPlainNames(inner, key)]));
}

async function plainNames(knex: Knex, table: string, columns: readonly string[]): Promise<void> {
  const rows: Record<string, unknown>[] = await knex(table).select('id', ...columns);
  for (const row of rows) {
    const { id, ...before } = row;
    const after = withPlainNames(before) as Record<string, unknown>;
    if (JSON.stringify(after) === JSON.stringify(before)) continue;
    const values = Object.entries(after).map(([column, value]) => [
      column,
      typeof value === 'string' ? value : JSON.stringify(value),
    ]);
    await knex(table)
      .where('id', String(id))
      .update(Object.fromEntries(values) as Record<string, string>);
  }
}

/**
 * What is confirmed is stored with the round, what a card is comes from its newest event, devices are retired instead
 * of deleted, and the database itself refuses what must not be twice.
 */
export async function up(knex: Knex): Promise<void> {
  await redrawDoubleMarks(knex);
  await plainNames(knex, 'batch', ['plan']);
  await plainNames(knex, 'device', ['nest', 'mark', 'host_name', 'role', 'overrides']);
  await plainNames(knex, 'network', ['network']);
  await plainNames(knex, 'board_profile', ['profile']);
  await plainNames(knex, 'image', ['title']);
  await knex.schema.alterTable('device', (table) => {
    /** When it left the plan; its mark, keys and history stay. */
    table.timestamp('retired_at', { useTz: true });
  });
  // Deferred, so that one saving may move marks about.
  await knex.raw(
    'alter table device add constraint device_mark_once unique (mark) deferrable initially deferred',
  );
  await knex.schema.alterTable('image', (table) => {
    /** The upload that it came by; its file is ours to remove. */
    table.uuid('upload_id');
    /** The station on whose disk it is; empty for those of earlier versions. */
    table.text('station').notNullable().defaultTo('');
  });
  await knex.raw(
    `update image set upload_id = substring(source_path from '/uploads/([0-9a-f-]{36})\\.part$')::uuid
     where state = 'checking' and source_path ~ '/uploads/[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}\\.part$'`,
  );
  await knex.schema.alterTable('round_card', (table) => {
    /** What was confirmed when it was armed; the settings themselves are sealed until the card has ended. */
    table.uuid('image_id');
    table.text('image_sha256');
    table.text('method');
    table.text('host_name').notNullable().defaultTo('');
    table.text('overrule');
    /** Whether its image has a boot partition, so that the card carries its device's mark. */
    table.boolean('marked').notNullable().defaultTo(true);
    /** Digest of what was written: the image's, and over it that of the card's own patches. */
    table.text('written_sha256');
    /** Whether it was read back past the system's cache. */
    table.boolean('past_cache');
  });
  await knex.raw(
    `update round_card set state = 'unfinished' from round
     where round.id = round_card.round_id and round.state not in ('queued', 'running')
       and round_card.state in ('queued', 'writing', 'verifying')`,
  );
  await knex.raw(
    `update round_card set state = 'unfinished' where ctid in (
       select ctid from (select ctid, row_number() over (partition by device_id order by at desc) as nth
         from round_card where state in ('queued', 'writing', 'verifying')) again where nth > 1)`,
  );
  await knex.raw(
    `create unique index round_card_device_once on round_card (device_id)
     where state in ('queued', 'writing', 'verifying')`,
  );
  await knex.schema.alterTable('card', (table) => {
    /** Newest thing that happened to it. */
    table.text('event').notNullable().defaultTo('');
    table.timestamp('event_at', { useTz: true });
    /** The device whose verified card it is, and by which round; null for none. */
    table.uuid('device_id').index();
    table.uuid('round_id');
    /** Digest of its first and last MiB as this program left it. */
    table.text('content').index();
    /** The station that proves it now. */
    table.text('station');
  });
  await knex.raw(
    `update card set event = newest.state, event_at = newest.at,
       device_id = case when newest.state = 'verified' and not proved then newest.device_id end,
       round_id = case when newest.state = 'verified' and not proved then newest.round_id end
     from (select distinct on (write.card_key) write.card_key, write.state, write.at, write.device_id, write.round_id,
             coalesce((owner.proof->>'at')::double precision, 0) > extract(epoch from write.at) * 1000 as proved
           from round_card write join card owner on owner.key = write.card_key
           order by write.card_key, write.at desc) newest
     where newest.card_key = card.key`,
  );
  await knex('scan').whereIn('state', ['queued', 'running']).update({ state: 'interrupted' });
  await knex.schema.alterTable('scan', (table) => {
    table.text('station').notNullable().defaultTo('');
    /** Addresses to which this computer has no way. */
    table.integer('unreachable').notNullable().defaultTo(0);
  });
  await knex.raw(
    `create unique index scan_one_at_a_time on scan (batch_id) where state in ('queued', 'running')`,
  );
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('drop index scan_one_at_a_time');
  await knex.schema.alterTable('scan', (table) => table.dropColumns('station', 'unreachable'));
  await knex.schema.alterTable('card', (table) =>
    table.dropColumns('event', 'event_at', 'device_id', 'round_id', 'content', 'station'),
  );
  await knex.raw('drop index round_card_device_once');
  await knex.schema.alterTable('round_card', (table) =>
    table.dropColumns(
      'image_id',
      'image_sha256',
      'method',
      'host_name',
      'overrule',
      'marked',
      'written_sha256',
      'past_cache',
    ),
  );
  await knex.schema.alterTable('image', (table) => table.dropColumns('upload_id', 'station'));
  await knex.raw('alter table device drop constraint device_mark_once');
  await knex.schema.alterTable('device', (table) => table.dropColumn('retired_at'));
}
