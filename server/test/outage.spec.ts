import type { Batch, BatchProgress, CardRecord, Image, Proposal, Round, Search } from '@nest-mark/core';
import { readFileSync } from 'node:fs';
import { DatabaseProxy } from './helpers/proxy';
import { begin, piece, stand } from './helpers/sending';
import { baseImage, TestServer, tankPlan } from './helpers/server';
import { many } from '../../core/test/helpers/soak';
import { long } from '../../core/test/helpers/long';

/** A database that fails in the middle of the work: for each step of it, and for two seconds at once. */

const network = '127.61.22';
let server: TestServer;
let proxy: DatabaseProxy;
let batch: Batch;
let image: Image;

beforeAll(async () => {
  server = await TestServer.start(network);
  image = await server.shelve(baseImage);
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  batch = await server.batch(tankPlan(4, image.id, network));
  proxy = await DatabaseProxy.before(server.databaseUrl);
  await server.restart({ databaseUrl: proxy.url });
});
afterAll(async () => {
  await server.end();
  await proxy.close();
});
afterEach(async () => {
  proxy.comeBack();
  await server.until(async () => {
    const answer = await server.call('GET', '/batches').catch(() => null);
    return answer?.status === 200 ? true : null;
  });
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  await server.act({ do: 'pullIdle' });
});

/** A call that is tried until the database is there again. */
const patient = <T>(look: () => Promise<T | null>): Promise<T> =>
  server.until(() => look().catch(() => null));
const proposal = (): Promise<Proposal> =>
  patient(() => server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`));
const roundOf = (id: string): Promise<Round> =>
  patient(async () => {
    const { rounds } = await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`);
    const round = rounds.find((one) => one.id === id);
    return round && !['queued', 'running'].includes(round.state) ? round : null;
  });
const away = (milliseconds: number): Promise<void> => {
  proxy.goAway();
  return new Promise((resolve) => setTimeout(resolve, milliseconds)).then(() => proxy.comeBack());
};
const arm = async (): Promise<Round> => {
  const { cards } = await proposal();
  const medium = cards[0]!.medium!;
  return server.ok('POST', `/batches/${batch.id}/rounds`, {
    cards: [{ slotId: 'slot-1', deviceId: batch.plan.devices[0]!.id, identity: medium.identity }],
    confirm: 'erase 1',
    lookedAt: Date.now(),
  });
};

describe('the database goes away for two seconds', () => {
  it('while a card is written: its end is on record, the slot is free, and nothing hangs', async () => {
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 6e6 });
    await server.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
    const { id } = await arm();
    await server.at(id);
    await away(2000);
    const round = await roundOf(id);
    expect([round.state, round.cards[0]!.state]).toEqual(['done', 'verified']);
    expect((await proposal()).cards[0]).toMatchObject({
      refusal: null,
      verifiedFor: { hostName: 'tank-01' },
    });
  });

  it('right when a card ends: it is still on record', async () => {
    await server.act({ do: 'insert', cardId: 'card-02', slotId: 'slot-1' });
    const stop = proxy.failWhen((statement) => /"past_cache" = /.test(statement));
    const { id } = await arm();
    await server.until(() => Promise.resolve(proxy.cuts > 1 ? true : null));
    // It has ended, and cannot be held or stopped any more: it is said so instead of nothing being done.
    const stopped = await server.call<{ code: string }>('POST', `/rounds/${id}/cancel`);
    stop();
    expect([409, 503]).toContain(stopped.status);
    expect((await roundOf(id)).cards[0]!.state).toBe('verified');
    const log = await server.knex('log_entry').where({ kind: 'card-verified' }).count();
    expect(Number(log[0]!['count'])).toBe(2);
  });

  it('while a card is proved: the result is on record and the slot is free', async () => {
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 11e6 });
    await server.act({ do: 'insert', cardId: 'card-03', slotId: 'slot-1' });
    const medium = (await proposal()).cards[0]!.medium!;
    const { key } = await server.ok<CardRecord>('POST', '/cards/capacity-check', {
      slotId: 'slot-1',
      identity: medium.identity,
      confirm: 'erase this card',
      what: 'restore',
    });
    await away(2000);
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    const card = await patient(async () => {
      const found = (await server.ok<CardRecord[]>('GET', '/cards')).find((one) => one.key === key);
      return found?.capacity && found.capacity.state !== 'running' ? found : null;
    });
    expect(['good', 'failed']).toContain(card.capacity!.state);
    await patient(async () => ((await proposal()).cards[0]!.refusal === null ? true : null));
  });

  long('while a search runs: what answered is kept and its end is on record', async () => {
    const search = await server.ok<Search>('POST', `/batches/${batch.id}/searches`, {
      subnet: `${network}.0/24`,
      port: 2222,
    });
    await away(2000);
    const ended = await patient(async () => {
      const { search: now } = await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`);
      return now && now.id === search.id && !['queued', 'running'].includes(now.state) ? now : null;
    });
    expect(ended.state).toBe('done');
    expect(ended.message).toContain('1 login service answered');
  });

  it('new work waits until this process is sure to be its station again, and then goes on', async () => {
    await away(1500);
    await server.act({ do: 'insert', cardId: 'card-04', slotId: 'slot-1' });
    const { id } = await patient(arm);
    expect((await roundOf(id)).cards[0]!.state).toBe('verified');
    const { rows } = await server.knex.raw<{ rows: { count: string }[] }>(
      `select count(*) from pg_locks where locktype = 'advisory' and database = (select oid from pg_database where datname = current_database())
         and objid::bigint =
         (hashtextextended('nest-mark station test', 0) & 4294967295)`,
    );
    expect(Number(rows[0]!.count)).toBe(1);
  });
});

describe('each single statement of the work fails once', () => {
  long('of a round: it ends, says what it is, and the card’s octets agree', async () => {
    await server.act({ do: 'insert', cardId: 'card-05', slotId: 'slot-1' });
    const first = await arm();
    await roundOf(first.id);
    const states: string[] = [];
    // After arming, one statement after the other; the round has about twenty of them.
    for (let nth = 0; nth < 16; nth += many(3, 1)) {
      const round = await patient(arm);
      let count = 0;
      const stop = proxy.failWhen((statement) => !/graphile|select 1/.test(statement) && count++ === nth);
      const ended = await roundOf(round.id);
      stop();
      states.push(ended.cards[0]!.state);
      const [slot] = (await proposal()).cards;
      expect(slot!.verifiedFor?.hostName ?? null).toBe(
        ended.cards[0]!.state === 'verified' ? 'tank-01' : (slot!.verifiedFor?.hostName ?? null),
      );
      expect(['verified', 'failed']).toContain(ended.cards[0]!.state);
    }
    expect(states).toContain('verified');
    const open = await server.knex('run_item').whereIn('state', ['queued', 'running']);
    expect(open).toEqual([]);
  });

  it('of an upload: the file becomes one image, or is still there to go on with', async () => {
    const bytes = readFileSync(baseImage);
    for (let nth = 0; nth < 5; nth += many(2, 1)) {
      const title = `upload-${String(nth)}.img.xz`;
      let count = 0;
      const stop = proxy.failWhen((statement) => /upload|image/.test(statement) && count++ === nth);
      // Each time from the beginning, as somebody would who chooses the file again.
      await patient(async () => {
        const id = await begin(server, { filename: title, size: bytes.length, modified: nth + 1 });
        const now = await stand(server, id);
        if (typeof now === 'number') throw new Error(String(now));
        if (now.received === now.size) return;
        const { status, body } = await piece(server, id, now.received, bytes.subarray(now.received));
        if (status !== 204) throw new Error(JSON.stringify(body));
      });
      stop();
      expect(await server.knex('image').where({ title })).toHaveLength(1);
    }
  });
});
