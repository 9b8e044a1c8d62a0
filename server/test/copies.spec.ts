import ssh2 from 'ssh2';
import { connect, createServer, type Server } from 'node:net';
import { randomBytes } from 'node:crypto';
import type { Batch, BatchProgress, LogEntry, Search } from '@nest-mark/core';
import { makeHostKey } from '@nest-mark/core';
import { linuxNeighbours } from '@nest-mark/station';
import { tankPlan, TestServer } from './helpers/server';

/** Copied cards, impostors and boards of other batches: who signed in the newest search, and nothing else, counts. */

const network = '127.61.31';
const port = 2299;
let server: TestServer;
let batch: Batch;
let other: Batch;
const open: { close(): unknown }[] = [];

beforeAll(async () => {
  server = await TestServer.start(network);
  batch = await server.batch({ ...tankPlan(3, null, network), name: 'Tanks' });
  other = await server.batch({ ...tankPlan(1, null, network), name: 'Gates' });
});
afterAll(async () => {
  for (const one of open) one.close();
  await server.end();
});
afterEach(() => {
  for (const one of open.splice(0)) one.close();
});

/** The private half of a device's host key, as its card has it. */
async function privateKey(of: Batch, index: number): Promise<string> {
  const device = of.plan.devices[index]!;
  const seed = await server.domains.networks.vault.get(device.id, 'hostKeySeed');
  return makeHostKey(Buffer.from(seed!, 'hex'), randomBytes(4), device.mark).privateText;
}

/** A board at an address that signs with a key. */
async function board(address: string, key: string): Promise<void> {
  const service = new ssh2.Server({ hostKeys: [key] }, (client) => {
    client.on('error', () => undefined);
    client.on('authentication', (context) => context.reject());
  });
  await new Promise<void>((resolve) => service.listen(port, address, () => resolve()));
  open.push(service);
}

/** A host that shows somebody's public key and cannot sign with it: its own is exchanged for that one on the way. */
async function impostor(address: string, shown: Buffer): Promise<void> {
  const own = makeHostKey(randomBytes(32), randomBytes(4), 'impostor');
  const blob = Buffer.from(own.publicLine.split(' ')[1] ?? '', 'base64');
  await board('127.0.0.1', own.privateText);
  const service = createServer((socket) => {
    const onward = connect(port, '127.0.0.1');
    for (const end of [socket, onward]) end.on('error', () => undefined);
    socket.pipe(onward);
    onward.on('data', (data: Buffer) => {
      const at = data.indexOf(blob);
      if (at >= 0) shown.copy(data, at);
      socket.write(data);
    });
    onward.on('close', () => socket.destroy());
  });
  await new Promise<void>((resolve) => service.listen(port, address, resolve));
  open.push(service);
}

const progress = (): Promise<BatchProgress> => server.ok('GET', `/batches/${batch.id}/progress`);
const search = (): Promise<Search> => server.search(batch.id, `${network}.0/28`, port);
const file = (name: string): Promise<string> => server.ok('GET', `/batches/${batch.id}/hand-over/${name}`);

describe('a copied card', () => {
  it('is a finding in table, files and log, and is not handed over, until one is left', async () => {
    const key = await privateKey(batch, 0);
    await board(`${network}.2`, key);
    await search();
    expect((await progress()).devices[0]!.seen).toMatchObject({
      standing: 'proved',
      address: `${network}.2`,
      alsoAt: [],
    });
    await board(`${network}.3`, key);
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
    open.pop()!.close();
    await search();
    expect((await progress()).devices[0]!.seen).toMatchObject({ address: `${network}.2`, alsoAt: [] });
    await server.ok('POST', `/batches/${batch.id}/handed-over`, { deviceIds: [device!.deviceId] });
  });

  it('an address that is dead since the last search is no copy, nor is a host that only shows the key', async () => {
    const key = await privateKey(batch, 1);
    await board(`${network}.4`, key);
    await search();
    for (const one of open.splice(0)) one.close();
    await board(`${network}.5`, key);
    const parsed = ssh2.utils.parseKey(key);
    if (parsed instanceof Error) throw parsed;
    await impostor(`${network}.6`, parsed.getPublicSSH());
    await search();
    const { devices, strangers } = await progress();
    expect(devices[1]!.seen).toMatchObject({ standing: 'proved', address: `${network}.5`, alsoAt: [] });
    const liar = strangers.find(({ address }) => address === `${network}.6`);
    expect(liar!.known).toMatch(/^It shows the key of tank-02 and did not sign with it/);
  });

  it('a board of another batch is named as such', async () => {
    await board(`${network}.7`, await privateKey(other, 0));
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
    open.push(service);
    return service;
  };

  it('that was stopped does not claim to be complete, and keeps what had answered by then', async () => {
    await board(`${network}.2`, await privateKey(batch, 0));
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
