import { createServer } from 'node:http';
import type { Batch, BatchProgress, BringUp, Exposure, PracticeView, SystemFault } from '@nest-mark/core';
import { makeHostKey } from '@nest-mark/core';
import { noSandbox } from '../../stand-in/src/board/sandbox';
import { Boards } from './helpers/boards';
import { baseImage, TestServer, tankPlan } from './helpers/server';

/** How exposed practice boards are: what was planted is told, and nothing else. */

const network = '127.61.83';
const port = 2222;
let server: TestServer;
let batch: Batch;
let boards: Boards;

const ids = (): string[] => batch.plan.devices.map(({ id }) => id);
const progress = (): Promise<BatchProgress> => server.ok('GET', `/batches/${batch.id}/progress`);
const view = (): Promise<Exposure> => server.ok('GET', `/batches/${batch.id}/exposure`);
const begin = (deviceIds: readonly string[], way: string | null): Promise<Exposure> =>
  server.ok('POST', `/batches/${batch.id}/exposure`, { deviceIds, way });
const ended = (): Promise<Exposure> =>
  server.until(async () => {
    const now = await view();
    return now.running === null ? now : null;
  });
const found = (now: Exposure, index: number): string[] =>
  (now.devices.find(({ deviceId }) => deviceId === ids()[index])?.findings ?? [])
    .filter(({ severity }) => severity !== 'note')
    .map(({ id }) => id)
    .sort();
const spoil = (index: number, fault: SystemFault | null): Promise<unknown> =>
  server.act({ do: 'spoil', nest: batch.plan.devices[index]!.nest, fault });

const whenSandbox = noSandbox() === null ? describe : describe.skip;

whenSandbox('how exposed boards are', () => {
  beforeAll(async () => {
    server = await TestServer.start(network);
    boards = new Boards(server, port);
    const image = await server.shelve(baseImage);
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    batch = await server.batch(tankPlan(4, image.id, network));
    await server.act({ do: 'insertFresh' });
    await server.ended(batch.id, (await server.arm(batch.id)).id);
    await server.act({ do: 'seat', batchId: batch.id });
    await server.act({ do: 'powerAll', on: true });
    await server.ok('POST', `/batches/${batch.id}/powered`, { deviceIds: ids() });
    await server.until(async () =>
      (await server.ok<PracticeView>('GET', '/practice')).boards.every(({ phase }) => phase === 'online')
        ? true
        : null,
    );
    await server.ok('POST', `/batches/${batch.id}/searches`, { subnet: `${network}.0/24`, port });
    await server.until(async () => {
      const { search, devices } = await progress();
      return search?.state === 'done' && devices.every(({ seen }) => seen?.standing === 'proved')
        ? true
        : null;
    });
  });
  afterAll(async () => {
    boards.close();
    await server.end();
  });

  it('names every fault that was planted, and nothing else', async () => {
    // One that was brought up: its key is off, and nothing is open.
    await server.ok('POST', `/batches/${batch.id}/bring-up`, { deviceIds: [ids()[0]], way: 'bench-key' });
    await server.until(async () => {
      const { running, boards: some } = await server.ok<BringUp>('GET', `/batches/${batch.id}/bring-up`);
      return running.length === 0 && some[0]?.state === 'ready' ? true : null;
    });
    await spoil(1, 'open-screen');
    await spoil(2, 'open-password');
    await spoil(3, 'more-accounts');
    await begin(ids(), 'bench-key');
    const now = await ended();
    expect(now.missed).toEqual([]);
    expect([0, 1, 2, 3].map((index) => found(now, index))).toEqual([
      [],
      ['bench-key', 'screen-open'],
      ['bench-key', 'password-login'],
      ['account', 'bench-key'],
    ]);
    // What the bench cannot see inside any more it says.
    expect(now.devices.find(({ deviceId }) => deviceId === ids()[0])!.outsideOnly).toContain(
      'lets us in by nothing',
    );
    const { findings } = now.devices.find(({ deviceId }) => deviceId === ids()[3])!;
    expect(findings[0]).toMatchObject({ severity: 'grave', text: expect.stringContaining('demo') as string });
    const log = await server.ok<{ text: string }[]>('GET', `/log?batchId=${batch.id}&limit=200`);
    expect(log.filter(({ text }) => text.includes('looked at from the network'))).toHaveLength(4);
    // Mended, it is told no more; from outside alone the screen and the login are seen as well.
    await spoil(1, null);
    await begin([ids()[1]!, ids()[2]!], null);
    const mended = await ended();
    expect(found(mended, 1)).toEqual(['bench-key']);
    expect(found(mended, 2)).toEqual(['bench-key', 'password-login']);
    await spoil(2, null);
    await spoil(3, null);
  });

  it('is refused for whoever is not a proved board of the batch, and by a way that there is not', async () => {
    const other = await server.batch(tankPlan(1, null, network));
    const path = `/batches/${batch.id}/exposure`;
    expect(
      (await server.refused('POST', path, { deviceIds: [other.plan.devices[0]!.id], way: null })).code,
    ).toBe('device-missing');
    expect(
      (
        await server.refused('POST', `/batches/${other.id}/exposure`, {
          deviceIds: [other.plan.devices[0]!.id],
          way: null,
        })
      ).code,
    ).toBe('not-a-proved-board');
    expect((await server.refused('POST', path, { deviceIds: ids(), way: 'password' })).code).toBe(
      'way-missing',
    );
    expect((await server.refused('POST', path, { deviceIds: [], way: null })).status).toBe(422);
  });

  it('asks nothing of another host that has the address by now', async () => {
    const [board] = (await progress()).devices.filter(({ deviceId }) => deviceId === ids()[3]);
    const { address } = board!.seen!;
    await server.act({ do: 'power', nest: batch.plan.devices[3]!.nest, on: false });
    let asked = 0;
    const pages = createServer((_request, response) => {
      asked += 1;
      response.end();
    });
    pages.on('connection', () => (asked += 1));
    await server.until(() =>
      boards.at(address, makeHostKey(new Uint8Array(32).fill(4), new Uint8Array(4), '').privateText).then(
        () => true,
        () => null,
      ),
    );
    await new Promise<void>((resolve) => pages.listen(8080, address, resolve));
    boards.keep(pages);
    await begin([ids()[3]!], 'bench-key');
    const now = await ended();
    expect(now.missed).toEqual([
      { deviceId: ids()[3], why: expect.stringContaining('another key') as string },
    ]);
    expect(asked).toBe(0);
  });

  it('is stopped when asked, and a kill leaves it to a person', async () => {
    await begin(ids().slice(0, 3), null);
    // Whichever comes first: its end, or the word to stop.
    await server.call('POST', `/batches/${batch.id}/exposure/stop`);
    await ended();
    expect((await server.refused('POST', `/batches/${batch.id}/exposure/stop`)).code).toBe('exposure-ended');
    const id = '00000000-0000-4000-8000-00000000e0e0';
    await server
      .knex('run')
      .insert({ id, kind: 'exposure', station: 'test', batch_id: batch.id, state: 'running', begun_by: 'x' });
    expect((await view()).running).toEqual({ done: 0, of: 0 });
    expect(
      (await server.refused('POST', `/batches/${batch.id}/exposure`, { deviceIds: [ids()[0]], way: null }))
        .code,
    ).toBe('exposure-running');
    await server.restart();
    expect(await view()).toMatchObject({
      running: null,
      message: 'The program stopped in the middle of it. Look again.',
    });
  });
});
