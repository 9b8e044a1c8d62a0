import type { Batch, BatchProgress, LogEntry, Search } from '@nest-mark/core';
import { baseImage, TestServer, tankPlan } from './helpers/server';

const network = '127.61.5';
let server: TestServer;
let batch: Batch;

beforeAll(async () => {
  server = await TestServer.start(network);
  const image = await server.shelve(baseImage);
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  batch = await server.batch(tankPlan(3, image.id, network));
  await server.act({ do: 'insertFresh' });
  await server.ended(batch.id, (await server.arm(batch.id)).id);
  await server.act({ do: 'seat', batchId: batch.id });
  await server.act({ do: 'powerAll', on: true });
  await server.until(async () => {
    const { boards } = await server.act({ do: 'powerAll', on: true });
    return boards.every(({ phase }) => phase === 'online') ? true : null;
  });
});
afterAll(() => server.end());

const progress = (): Promise<BatchProgress> => server.ok('GET', `/batches/${batch.id}/progress`);

const search = (): Promise<Search> => server.search(batch.id, `${network}.0/24`);

describe('searching', () => {
  it('proves each board by its key, with addresses; others are strangers; each proof is logged once', async () => {
    await search();
    const { devices, strangers } = await progress();
    expect(devices.map(({ seen }) => seen?.standing)).toEqual(['proved', 'proved', 'proved']);
    expect(new Set(devices.map(({ seen }) => seen?.address)).size).toBe(3);
    expect(devices[0]!.seen!.hardwareAddress).toMatch(/^02:/);
    expect(strangers.map(({ address }) => address)).toEqual([`${network}.1`]);
    await search();
    const log = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}`);
    expect(log.filter(({ kind }) => kind === 'proved')).toHaveLength(3);
  });

  it('names a board by the card it holds, not by the nest it lies in', async () => {
    const before = await progress();
    const view = await server.act({ do: 'powerAll', on: false });
    const cardOf = (nest: string): string => view.boards.find((board) => board.nest === nest)!.cardId!;
    const [first, second] = [cardOf('A1'), cardOf('A2')];
    await server.act({ do: 'takeCard', nest: 'A1' });
    await server.act({ do: 'takeCard', nest: 'A2' });
    await server.act({ do: 'seatCard', cardId: first, nest: 'A2' });
    await server.act({ do: 'seatCard', cardId: second, nest: 'A1' });
    await server.until(async () => {
      const { boards } = await server.act({ do: 'powerAll', on: true });
      return boards.every(({ phase }) => phase === 'online') ? true : null;
    });
    await search();
    const after = await progress();
    expect(after.devices[0]!.seen!.hardwareAddress).toBe(before.devices[1]!.seen!.hardwareAddress);
    expect(after.devices[1]!.seen!.hardwareAddress).toBe(before.devices[0]!.seen!.hardwareAddress);
  });

  it.each([
    ['', 'subnet-empty'],
    ['192.168.1', 'subnet-form'],
    ['10.0.0.0/8', 'subnet-wide'],
    ['8.8.8.0/24', 'subnet-public'],
  ])('contacts nobody on "%s"', async (subnet, code) => {
    const problem = await server.refused('POST', `/batches/${batch.id}/searches`, { subnet, port: 2222 });
    expect(problem).toMatchObject({ status: 422, code });
    expect(problem.detail).toContain('Nothing was contacted');
  });
});

describe('the files for other tools', () => {
  it('give addresses out only for what was proved, and note that they were taken', async () => {
    const get = (file: string): Promise<string> => server.ok('GET', `/batches/${batch.id}/hand-over/${file}`);
    const { devices } = await progress();
    const known = await get('known_hosts');
    const config = await get('ssh_config');
    for (const [index, device] of batch.plan.devices.entries()) {
      const address = devices[index]!.seen!.address;
      expect(known).toContain(`[${address}]:2222`);
      expect(config).toContain(`Host ${device.hostName}\n    HostName ${address}`);
    }
    expect(known).not.toContain(`[${network}.1]`);
    expect((await get('batch.csv')).trim().split('\r\n')).toHaveLength(4);
    const log = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}&limit=3`);
    expect(log.every(({ kind }) => kind === 'exported')).toBe(true);
  });
});
