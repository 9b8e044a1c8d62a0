import { randomBytes, randomUUID } from 'node:crypto';
import { checkCharacter, type Batch, type Found } from '@nest-mark/core';
import fc from 'fast-check';
import { Boards } from './helpers/boards';
import { TestServer, tankPlan } from './helpers/server';

/** What is found among all batches there ever were. */

const network = '127.61.87';
let server: TestServer;
let boards: Boards;
let batch: Batch;
let other: Batch;

const find = (text: string): Promise<Found[]> =>
  server.ok('GET', `/found?${new URLSearchParams({ text }).toString()}`);
const ids = async (text: string): Promise<string[]> => (await find(text)).map(({ id }) => id);

beforeAll(async () => {
  server = await TestServer.start(network);
  boards = new Boards(server, 2222);
  batch = await server.batch(tankPlan(3, null, network));
  other = await server.batch({ ...tankPlan(2, null, network), name: 'Gate controllers' });
  await boards.at(`${network}.20`, await boards.keyOf(batch, 0));
  await server.search(batch.id, `${network}.0/27`, 2222);
});
afterAll(async () => {
  boards.close();
  await server.end();
});

describe('a device of any batch', () => {
  it('is found by its mark, however it is written, and by one with a slip in it, which is told', async () => {
    const { mark, id } = other.plan.devices[0]!;
    expect((await ids(mark))[0]).toBe(id);
    expect((await ids(` ${mark.slice(0, 2).toLowerCase()}-${mark.slice(2).toLowerCase()} `))[0]).toBe(id);
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 0, max: 4 }),
        fc.constantFrom(...'23456789ABCDEFGH'),
        async (at, char) => {
          fc.pre(mark[at] !== char);
          const slip = mark.slice(0, at) + char + mark.slice(at + 1);
          const hit = (await find(slip)).find((one) => one.id === id);
          expect(hit?.by).toContain('one slip');
        },
      ),
      { numRuns: 12 },
    );
  });

  it('is found by its name, its host key, and the hardware address at which its key signed', async () => {
    const { hostName, id } = batch.plan.devices[1]!;
    expect(await ids(hostName.toUpperCase())).toContain(id);
    expect(await ids(hostName.slice(2))).toContain(id);
    const { devices } = await server.ok<{ devices: { deviceId: string; fingerprint: string }[] }>(
      'GET',
      `/batches/${batch.id}/progress`,
    );
    expect(await ids(devices[2]!.fingerprint)).toEqual([devices[2]!.deviceId]);
    await server
      .knex('sighting')
      .update({ hardware_address: '02:00:5e:00:53:aa' })
      .where({ key_proven: true });
    for (const text of ['02:00:5e:00:53:aa', '02-00-5E-00-53-AA', '02005e0053aa'])
      expect((await ids(text))[0]).toBe(batch.plan.devices[0]!.id);
  });

  it('is found after it was retired, and said to be', async () => {
    const { mark, id } = other.plan.devices[1]!;
    const now = await server.ok<Batch>('GET', `/batches/${other.id}`);
    const plan = { ...now.plan, devices: now.plan.devices.slice(0, 1) };
    await server.ok(
      'PUT',
      `/batches/${other.id}`,
      { plan, secrets: {} },
      { 'If-Match': `"${String(now.version)}"` },
    );
    const [hit] = await find(mark);
    expect(hit).toMatchObject({ id, more: expect.stringContaining('Gate controllers · retired') as string });
  });

  it('is never found by what means something in a pattern', async () => {
    for (const text of ['%', '__', '\\', "' or 1=1 --"]) expect(await ids(text)).toEqual([]);
    expect((await server.refused('GET', '/found?text=')).code).toBe('invalid');
  });
});

it('batches and cards are found too', async () => {
  expect(await ids('gate contr')).toEqual([other.id]);
  await server
    .knex('card')
    .insert({ key: 'AB12cd', model: 'Practice card', size: 1, device_id: batch.plan.devices[0]!.id });
  expect(await find('ab12')).toMatchObject([{ kind: 'card', more: 'card of tank-01', batchId: batch.id }]);
});

it('among twenty thousand devices the indexes are used for marks, keys and parts of names', async () => {
  // They begin with what no drawn mark begins with: letters and digits that look alike.
  const payload = (at: number): string =>
    '01OIL'.charAt(Math.floor(at / 36 ** 3)) + (at % 36 ** 3).toString(36).toUpperCase().padStart(3, '0');
  for (let from = 0; from < 20_000; from += 5000)
    await server.knex('device').insert(
      Array.from({ length: 5000 }, (_, at) => {
        const own = payload(from + at);
        return {
          id: randomUUID(),
          batch_id: batch.id,
          position: 10 + from + at,
          nest: 'A1',
          mark: own + checkCharacter(own),
          host_name: `board-${String(from + at)}`,
          role: '',
          host_key_fingerprint: `SHA256:${randomBytes(16).toString('hex')}`,
          retired_at: new Date(),
        };
      }),
    );
  // As autovacuum does some time after: what was just put in waits in a list beside the index, and while it does, reading
  // the whole table costs about as much (PostgreSQL's manual, "GIN Fast Update Technique").
  await server.knex.raw('vacuum analyze device');
  const plan = async (sql: string): Promise<string> => {
    const { rows } = await server.knex.raw<{ rows: { 'QUERY PLAN': string }[] }>(`explain ${sql}`);
    return rows.map((row) => row['QUERY PLAN']).join('\n');
  };
  for (const where of [
    `mark = 'AAAA0'`,
    `host_key_fingerprint like 'SHA256:abcdef%'`,
    `lower(host_name) like '%ard-1777%'`,
  ])
    expect(await plan(`select id from device where ${where} limit 20`)).toMatch(/Index/);
  expect((await find('board-17777')).map(({ title }) => title)).toEqual(['board-17777']);
});
