import ssh2 from 'ssh2';
import { createServer, type Server } from 'node:net';
import type { Batch, BatchProgress, LogEntry, Search } from '@nest-mark/core';
import { linuxNeighbours } from '@nest-mark/station';
import { Boards } from './helpers/boards';
import { tankPlan, TestServer } from './helpers/server';

/** Copied cards, impostors and boards of other batches: who signed in the newest search, and nothing else, counts. */

const network = '127.61.31';
const port = 2299;
let server: TestServer;
let batch: Batch;
let other: Batch;
let boards: Boards;

beforeAll(async () => {
  server = await TestServer.start(network);
  boards = new Boards(server, port);
  batch = await server.batch({ ...tankPlan(3, null, network), name: 'Tanks' });
  other = await server.batch({ ...tankPlan(1, null, network), name: 'Gates' });
});
afterAll(async () => {
  boards.close();
  await server.end();
});
afterEach(() => boards.close());

const progress = (): Promise<BatchProgress> => server.ok('GET', `/batches/${batch.id}/progress`);
const search = (): Promise<Search> => server.search(batch.id, `${network}.0/28`, port);
const file = (name: string): Promise<string> => server.ok('GET', `/batches/${batch.id}/hand-over/${name}`);

describe('a copied card', () => {
  it('is a finding in table, files and log, and is not handed over, until one is left', async () => {
    const key = await boards.keyOf(batch, 0);
    await boards.at(`${network}.2`, key);
    await search();
    expect((await progress()).devices[0]!.seen).toMatchObject({
      standing: 'proved',
      address: `${network}.2`,
      alsoAt: [],
    });
    const cutCopy = await boards.at(`${network}.3`, key);
    await search();
    const [device] = (await progress()).devices;
    expect([device!.seen!.address, ...device!.seen!.alsoAt].sort()).toEqual([`${network}.2`, `${network}.3`]);
    const [known, config, table] = [
      await file('known_hosts'),
      await file('ssh_config'),
      await file('batch.csv'),
    ];
    for (const text of [known, config])
      expect(text).toContain(
        `# without address: tank-01 (mark ${batch.plan.devices[0]!.mark}), since its card was copied`,
      );
    for (const address of [`${network}.2`, `${network}.3`]) {
      expect(config).not.toContain(`HostName ${address}`);
      expect(known).not.toContain(`[${address}]`);
    }
    expect(table).toContain('its card was copied');
    const log = await server.ok<LogEntry[]>('GET', '/log?limit=20');
    expect(log.find(({ kind }) => kind === 'copied')!.text).toContain(`${network}.2 and ${network}.3`);
    const problem = await server.refused('POST', `/batches/${batch.id}/handed-over`, {
      deviceIds: [device!.deviceId],
    });
    expect(problem).toMatchObject({ status: 409, code: 'card-copied' });
    cutCopy();
    await search();
    expect((await progress()).devices[0]!.seen).toMatchObject({ address: `${network}.2`, alsoAt: [] });
    await server.ok('POST', `/batches/${batch.id}/handed-over`, { deviceIds: [device!.deviceId] });
  });

  it('an address that is dead since the last search is no copy, nor is a host that only shows the key', async () => {
    const key = await boards.keyOf(batch, 1);
    await boards.at(`${network}.4`, key);
    await search();
    boards.close();
    await boards.at(`${network}.5`, key);
    const parsed = ssh2.utils.parseKey(key);
    if (parsed instanceof Error) throw parsed;
    await boards.impostor(`${network}.6`, parsed.getPublicSSH());
    await search();
    const { devices, strangers } = await progress();
    expect(devices[1]!.seen).toMatchObject({ standing: 'proved', address: `${network}.5`, alsoAt: [] });
    const liar = strangers.find(({ address }) => address === `${network}.6`);
    expect(liar!.known).toMatch(/^It shows the key of tank-02 and did not sign with it/);
  });

  it('a board of another batch is named as such', async () => {
    await boards.at(`${network}.7`, await boards.keyOf(other, 0));
    await search();
    const { strangers } = await progress();
    expect(strangers.find(({ address }) => address === `${network}.7`)!.known).toBe(
      'It is tank-01 of the batch Gates: it signed with that board’s key.',
    );
  });
});

describe('a search', () => {
  const silent = async (address: string): Promise<Server> => {
    // It takes connections and says nothing, so that asking it takes its time.
    const service = createServer((socket) => socket.on('error', () => undefined));
    await new Promise<void>((resolve) => service.listen(port, address, resolve));
    boards.keep(service);
    return service;
  };

  it('that was stopped does not claim to be complete, and keeps what had answered by then', async () => {
    await boards.at(`${network}.2`, await boards.keyOf(batch, 0));
    for (let host = 3; host < 14; host++) await silent(`${network}.${String(host)}`);
    const { id } = await server.ok<Search>('POST', `/batches/${batch.id}/searches`, {
      subnet: '127.61.16.0/20',
      port,
    });
    await server.at(id);
    await server.until(async () => ((await progress()).search!.state === 'running' ? true : null));
    await server.ok('POST', `/searches/${id}/cancel`);
    const ended = await server.until(async () => {
      const { search } = await progress();
      return search?.id === id && search.state === 'cancelled' ? search : null;
    });
    expect(ended.done).toBeLessThan(ended.total);
    expect(ended.message).toMatch(/^The search was stopped after \d+ of 4094 addresses/);
  });

  it('two of one batch at once: one starts', async () => {
    const answers = await Promise.all(
      Array.from({ length: 4 }, () =>
        server.call<{ code?: string }>('POST', `/batches/${batch.id}/searches`, {
          subnet: `${network}.0/28`,
          port,
        }),
      ),
    );
    expect(answers.map(({ status }) => status).sort()).toEqual([201, 409, 409, 409]);
    await server.until(async () =>
      ['queued', 'running'].includes((await progress()).search!.state) ? null : true,
    );
  });

  it('reads hardware addresses from the kernel’s own table as well as from the practice bench', async () => {
    const table = await server.domains.finding.neighbours.read();
    const own = await linuxNeighbours.read();
    for (const [address, hardware] of own) expect(table.get(address)).toBe(hardware);
  });
});
