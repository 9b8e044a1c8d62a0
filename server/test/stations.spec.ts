import { copyFileSync, mkdtempSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Client } from 'pg';
import type { Batch, BatchProgress, Image, Proposal, Round } from '@nest-mark/core';
import type { RunningServer } from '../src/run';
import { baseImage, TestServer, tankPlan } from './helpers/server';
import { many } from '../../core/test/helpers/soak';
import { long } from '../../core/test/helpers/long';

/** Two stations on one database: each does its own work and none of the other's. */

const [here, there] = ['127.61.23', '127.61.24'];
let server: TestServer;
let folder: string;
let second: RunningServer;
let batch: Batch;
let image: Image;

const begin = (): Promise<RunningServer> => server.beside(there, folder, { station: 'second' });

beforeAll(async () => {
  server = await TestServer.start(here);
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-second-'));
  // Stations that share secrets have the same key file.
  copyFileSync(join(server.folder, 'secret.key'), join(folder, 'secret.key'));
  image = await server.shelve(baseImage);
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  batch = await server.batch(tankPlan(8, image.id, here));
  second = await begin();
});
afterAll(async () => {
  await second.stop();
  await server.end();
  rmSync(folder, { recursive: true, force: true });
});

const other = async <T>(method: string, path: string, body?: unknown): Promise<T> => {
  const response = await fetch(`${second.url}/api${path}`, {
    method,
    headers: {
      'X-Nest-Mark': '1',
      'Idempotency-Key': `key-${String(Math.random()).slice(2)}`,
      'Content-Type': 'application/json',
    },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  return (await response.json().catch(() => null)) as T;
};

const armed = (slots: Proposal, device: number) => ({
  cards: [
    {
      slotId: 'slot-1',
      deviceId: batch.plan.devices[device]!.id,
      identity: slots.cards[0]!.medium!.identity,
    },
  ],
  confirm: 'erase 1',
  lookedAt: Date.now(),
});

describe('two stations on one database', () => {
  it('a round is written by the station that armed it and by no other, time after time', async () => {
    // Each station has its own reader with a card of the same kind in the same slot.
    for (let round = 0; round < many(2, 6); round++) {
      const mine = round % 2 === 0;
      const act = (action: object): Promise<unknown> =>
        mine ? server.ok('POST', '/practice/actions', action) : other('POST', '/practice/actions', action);
      await act({ do: 'insert', cardId: `card-0${String(round + 1)}`, slotId: 'slot-1' });
      if (mine) {
        const slots = await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`);
        const made = await server.ok<Round>('POST', `/batches/${batch.id}/rounds`, armed(slots, round));
        const ended = await server.ended(batch.id, made.id);
        expect(ended.cards[0]!.state).toBe('verified');
      } else {
        const slots = await other<Proposal>('GET', `/batches/${batch.id}/next-round`);
        const body = armed(slots, round);
        if (round === 1) {
          const problem = await other<{ code: string; detail: string }>(
            'POST',
            `/batches/${batch.id}/rounds`,
            body,
          );
          // Its image is on the first one's disk, and that is said instead of written about.
          expect(problem.code).toBe('card-not-ready');
          expect(problem.detail).toContain('on the shelf of the station "test"');
          await other('POST', '/practice/actions', { do: 'pace', bootSeconds: 0, slotRate: 0 });
          const added = await other<Image>('POST', '/images', { path: baseImage, title: 'here', sha256: '' });
          await server.until(async () => {
            const all = await other<Image[]>('GET', '/images');
            return all.find(({ id }) => id === added.id)?.state === 'ready' ? true : null;
          });
        }
        const made = await other<Round>('POST', `/batches/${batch.id}/rounds`, body);
        const ended = await server.ended(batch.id, made.id);
        expect(ended.cards[0]!.state).toBe('verified');
        const file = join(folder, 'practice/cards', `card-0${String(round + 1)}.img`);
        expect(statSync(file).blocks).toBeGreaterThan(1000);
        const [row] = await server.knex('run').where({ id: made.id });
        expect(row.station).toBe('second');
      }
      await act({ do: 'pullIdle' });
    }
  });

  it('a job of another station is not taken, whatever the queue offers', async () => {
    const { knex } = server;
    await knex.raw(
      `select graphile_worker.add_job('round@third', '{"runId":"00000000-0000-4000-8000-000000000000"}'::json)`,
    );
    await new Promise((resolve) => setTimeout(resolve, 500));
    const { rows } = await knex.raw<{ rows: { attempts: number; locked_by: string | null }[] }>(
      `select attempts, locked_by from graphile_worker.jobs where task_identifier = 'round@third'`,
    );
    expect(rows).toEqual([{ attempts: 0, locked_by: null }]);
  });

  it('one that starts again frees its own work and touches nothing of the living one', async () => {
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 3e6 });
    await server.act({ do: 'insert', cardId: 'card-07', slotId: 'slot-1' });
    const slots = await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`);
    const { id } = await server.ok<Round>('POST', `/batches/${batch.id}/rounds`, armed(slots, 6));
    await server.at(id);
    await second.stop();
    second = await begin();
    const { rounds } = await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`);
    expect(rounds[0]!.state).toBe('running');
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    expect((await server.ended(batch.id, id)).cards[0]!.state).toBe('verified');
    await server.act({ do: 'pullIdle' });
  });

  it('hears the figures of forty cards from the other one: they are more than a notification takes as they are', async () => {
    const { rounds } = await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`);
    const [card] = rounds[0]!.cards;
    const round: Round = { ...rounds[0]!, cards: Array.from({ length: 40 }, () => card!) };
    expect(JSON.stringify(round).length).toBeGreaterThan(8000);
    const heard: unknown[] = [];
    const stopListening = second.domains.platform.events.listen(({ text }) => heard.push(text));
    server.domains.platform.events.tell({ type: 'round', round });
    await server.until(() =>
      Promise.resolve(
        heard.some((text) => (JSON.stringify(text).match(/verified/g) ?? []).length >= 40) ? true : null,
      ),
    );
    stopListening();
  });

  it('does what was queued while the database could call nobody', async () => {
    const listening = `select pid from pg_stat_activity where datname = current_database() and query like 'LISTEN "jobs:insert"%'`;
    const { rows } = await server.knex.raw<{ rows: { pid: number }[] }>(listening);
    expect(rows.length).toBeGreaterThan(0);
    await server.knex.raw(`select pg_terminate_backend(pid) from (${listening}) as listening`);
    expect((await server.search(batch.id, `${here}.0/24`)).state).toBe('done');
  });

  long('a second process of one name is refused, and stops when it finds its place taken', async () => {
    await expect(server.beside(there, folder, { station: 'second' })).rejects.toThrow('running already');
    await expect(server.beside(there, folder, { station: 'Bad_Name%' })).rejects.toThrow(
      'cannot be the name',
    );
    let lost = '';
    const third = await server.beside('127.61.25', join(folder, 'third'), {
      station: 'third',
      onLost: (why) => (lost = why.message),
    });
    // Somebody ends its lock's connection by force and takes its name at once.
    const thief = new Client({ connectionString: server.databaseUrl });
    await thief.connect();
    // It waits in the database's own line, so that it is the next one.
    const taken = thief.query(`select pg_advisory_lock(hashtextextended('nest-mark station third', 0))`);
    await server.until(async () => {
      const { rows } = await server.knex.raw<{ rows: unknown[] }>(
        `select 1 from pg_locks where locktype = 'advisory' and not granted`,
      );
      return rows.length > 0 ? true : null;
    });
    await server.knex.raw(
      `select pg_terminate_backend(pid) from pg_stat_activity where application_name = 'nest-mark third'`,
    );
    await taken;
    await server.until(() => Promise.resolve(lost === '' ? null : true));
    expect(lost).toContain('running already');
    await thief.end();
    await third.stop();
  });
});
