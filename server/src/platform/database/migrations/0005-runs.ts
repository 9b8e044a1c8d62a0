import type { Knex } from 'knex';

/**
 * One kind of run for rounds, searches, capacity checks and image reading; events that a browser can take up again.
 * What is particular to a kind stays in a table of its own, which begins with the run's id.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table run (
      id uuid primary key,
      kind text not null,
      station text not null,
      batch_id uuid references batch (id) on delete cascade,
      state text not null,
      begun_by text not null default '',
      reason text not null default '',
      "order" jsonb not null default '{}',
      /** What somebody asked of it, for the process that is at it. */
      wish text,
      /** Drawn anew by whoever takes it up: an answer that was lost can be asked for again. */
      taken uuid,
      attempts integer not null default 0,
      queued_at timestamptz not null default now(),
      started_at timestamptz,
      ended_at timestamptz
    );
    create index run_under_way on run (station, kind) where state in ('queued', 'running', 'held');
    create index run_of_batch on run (batch_id, kind);
    create table run_item (
      run_id uuid not null references run (id) on delete cascade,
      subject text not null,
      position integer not null,
      /** Those of its run, for the indexes below. */
      kind text not null,
      station text not null,
      device_id uuid,
      /** The slot that it has for itself while it is under way. */
      slot_id text,
      identity jsonb,
      state text not null,
      step text not null default '',
      cursor bigint not null default 0,
      total bigint not null default 0,
      attempts integer not null default 0,
      message text not null default '',
      at timestamptz not null default now(),
      primary key (run_id, subject)
    );
    create index run_item_under_way on run_item (state) where state in ('queued', 'running');

    insert into run (id, kind, station, batch_id, state, queued_at, started_at, ended_at)
      select id, 'round', station, batch_id, state, started_at, started_at, ended_at from round;
    insert into run_item
        (run_id, subject, position, kind, station, device_id, slot_id, identity, state, step, message, at)
      select card.round_id, card.slot_id, row_number() over (partition by card.round_id order by card.slot_id),
        'round', round.station, card.device_id, card.slot_id, card.identity,
        case card.state when 'verified' then 'done' when 'unfinished' then 'interrupted'
          when 'writing' then 'running' when 'verifying' then 'running' else card.state end,
        case when card.state in ('writing', 'verifying') then card.state else '' end,
        card.message, card.at
      from round_card card join round on round.id = card.round_id;
    drop index round_card_device_once;
    alter table round drop column station, drop column state, drop column started_at, drop column ended_at;
    alter table round_card drop column state, drop column share, drop column message, drop column at,
      drop column device_id, drop column identity;
    alter table round add constraint round_is_run foreign key (id) references run (id) on delete cascade;

    insert into run (id, kind, station, batch_id, state, reason, queued_at, started_at)
      select id, 'search', station, batch_id, state, message, at, at from scan;
    insert into run_item (run_id, subject, position, kind, station, state, cursor, total, at)
      select id, subnet, 1, 'search', station, state, done, total, at from scan;
    drop index scan_one_at_a_time;
    alter table scan rename to search;
    alter table search drop column station, drop column state, drop column done, drop column total,
      drop column message, drop column at;
    alter table search add constraint search_is_run foreign key (id) references run (id) on delete cascade;
    alter table sighting rename column scan_id to search_id;

    create unique index run_item_device_once on run_item (device_id)
      where kind = 'round' and state in ('queued', 'running');
    create unique index run_item_slot_once on run_item (station, slot_id) where state in ('queued', 'running');
    create unique index run_search_once on run (batch_id) where kind = 'search' and state in ('queued', 'running', 'held');
    create unique index run_item_image_once on run_item (station, subject)
      where kind = 'image-reading' and state in ('queued', 'running');

    alter table card rename column proof to capacity;
    alter table card drop column station;
    update card set event = 'check-begun' where event = 'proof-begun';
    update card set event = 'checked' where event = 'proved';
    update card set capacity = capacity || jsonb_build_object('state', 'interrupted', 'text',
      'The program stopped while this card was being checked. Check it again.')
      where capacity->>'state' = 'running';

    create view written_card as
      select card.*, item.device_id, item.identity, item.position, item.message, item.at,
        case item.state when 'running' then coalesce(nullif(item.step, ''), 'writing') when 'done' then 'verified'
          when 'interrupted' then 'unfinished' else item.state end as state
      from round_card card join run_item item on item.run_id = card.round_id and item.subject = card.slot_id;
    create view round_run as
      select round.id, round.batch_id, round.number, run.station, run.state, run.begun_by, run.reason,
        run.queued_at, run.ended_at
      from round join run on run.id = round.id;
    create view search_run as
      select search.*, run.station, run.state, run.reason, run.queued_at, item.cursor, item.total
      from search join run on run.id = search.id join run_item item on item.run_id = search.id;

    /** The station on whose disk it gathers; empty for those of earlier versions. */
    alter table upload add column station text not null default '';

    create table event (
      id bigint generated always as identity primary key,
      body jsonb not null,
      at timestamptz not null default clock_timestamp()
    );
    create index event_age on event (at);
  `);
  await knex('setting').where('name', 'bench').update({ name: 'station' });
}

export async function down(knex: Knex): Promise<void> {
  await knex('setting').where('name', 'station').update({ name: 'bench' });
  await knex.raw(`
    drop table event;
    alter table upload drop column station;
    drop view search_run;
    drop view round_run;
    drop view written_card;
    update card set event = 'proof-begun' where event = 'check-begun';
    update card set event = 'proved' where event = 'checked';
    alter table card rename column capacity to proof;
    alter table card add column station text;
    drop index run_item_device_once;
    drop index run_item_slot_once;
    drop index run_search_once;
    drop index run_item_image_once;

    alter table sighting rename column search_id to scan_id;
    alter table search drop constraint search_is_run;
    alter table search add column station text not null default '', add column state text,
      add column done integer not null default 0, add column total integer not null default 0,
      add column message text not null default '', add column at timestamptz not null default now();
    update search set station = run.station, state = case run.state when 'held' then 'running' else run.state end,
      message = run.reason, at = run.queued_at, done = item.cursor, total = item.total
      from run join run_item item on item.run_id = run.id where run.id = search.id;
    alter table search alter column state set not null;
    alter table search rename to scan;
    create unique index scan_one_at_a_time on scan (batch_id) where state in ('queued', 'running');

    alter table round drop constraint round_is_run;
    alter table round add column station text, add column state text,
      add column started_at timestamptz not null default now(), add column ended_at timestamptz;
    update round set station = run.station, state = case run.state when 'held' then 'running' else run.state end,
      started_at = run.queued_at, ended_at = run.ended_at from run where run.id = round.id;
    alter table round alter column station set not null, alter column state set not null;
    alter table round_card add column state text, add column share double precision not null default 0,
      add column message text not null default '', add column at timestamptz not null default now(),
      add column device_id uuid, add column identity jsonb;
    update round_card set device_id = item.device_id, identity = item.identity, message = item.message, at = item.at,
      state = case item.state when 'running' then coalesce(nullif(item.step, ''), 'writing') when 'done' then 'verified'
        when 'interrupted' then 'unfinished' else item.state end,
      share = case item.state when 'done' then 1 else 0 end
      from run_item item where item.run_id = round_card.round_id and item.subject = round_card.slot_id;
    alter table round_card alter column state set not null, alter column device_id set not null,
      alter column identity set not null;
    create unique index round_card_device_once on round_card (device_id)
      where state in ('queued', 'writing', 'verifying');
    drop table run_item;
    drop table run;
  `);
}
