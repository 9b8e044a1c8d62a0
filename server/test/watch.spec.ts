import { randomUUID } from 'node:crypto';
import { createSocket } from 'node:dgram';
import { appendFileSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { encode } from 'dns-packet';
import {
  kindOf,
  type Batch,
  type BatchProgress,
  type CaseView,
  type HeardHost,
  type HostTable,
  type LogEntry,
  type Place,
  type PracticeView,
  type Remembered,
  type StationSettings,
  type Watch,
} from '@nest-mark/core';
import type { ListeningSource } from '@nest-mark/core/find';
import { addressRequest } from '../../stand-in/src/air/voice';
import { SearchRepository } from '../src/finding';
import { Boards } from './helpers/boards';
import { baseImage, TestServer, tankPlan } from './helpers/server';
import { long } from '../../core/test/helpers/long';

/** Listening for boards on the practice network: real packets to real sockets, on loopback. */

const network = '127.61.47';
const port = 2222;
let server: TestServer;
let batch: Batch;
let boards: Boards;

beforeAll(async () => {
  server = await TestServer.start(network);
  const image = await server.shelve(baseImage);
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  const plan = tankPlan(3, image.id, network);
  const callIn = { address: `${network}.254`, port: 18_722 };
  batch = await server.batch({ ...plan, extras: { ...plan.extras, callIn } });
  boards = new Boards(server, port);
  await server.act({ do: 'insertFresh' });
  await server.ended(batch.id, (await server.arm(batch.id)).id);
  await server.act({ do: 'seat', batchId: batch.id });
});
afterAll(async () => {
  boards.close();
  await server.end();
});
afterEach(async () => {
  boards.close();
  // Whatever a test left listening is none of the next one's.
  for (const { id } of await server
    .knex('run')
    .where({ kind: 'watch' })
    .whereIn('state', ['queued', 'running']))
    await server.call('POST', `/watches/${id as string}/stop`);
  await server.until(async () =>
    (await server.knex('run').where({ kind: 'watch' }).whereIn('state', ['queued', 'running'])).length === 0
      ? true
      : null,
  );
});

const progress = (of = batch): Promise<BatchProgress> => server.ok('GET', `/batches/${of.id}/progress`);
const listen = (sources: ListeningSource[], of = batch): Promise<Watch> =>
  server.ok('POST', `/batches/${of.id}/watches`, { sources, places: ['practice'], port });
const give = (text: string, source: 'table' | 'hand', of = batch): Promise<Watch> =>
  server.ok('POST', `/batches/${of.id}/clues`, { text, source, port });

/** Waits until the bench really listens. */
const listening = (id: string): Promise<Watch> =>
  server.until(async () => {
    const { watch } = await progress();
    return watch?.id === id && watch.state === 'running' && watch.sources.every(({ on }) => on)
      ? watch
      : null;
  });
const endOf = (id: string, of = batch): Promise<Watch> =>
  server.until(async () => {
    const { watch } = await progress(of);
    return watch?.id === id && !['queued', 'running'].includes(watch.state) ? watch : null;
  });
const power = async (on: boolean): Promise<void> => {
  await server.act({ do: 'powerAll', on });
  if (on)
    await server.until(async () => {
      const { boards: all }: PracticeView = await server.ok('GET', '/practice');
      return all.every(({ phase }) => phase === 'online') ? true : null;
    });
};
/** As if nobody had been seen yet. */
const forget = async (): Promise<void> => {
  await power(false);
  await server.knex('sighting').del();
};

const airOf = ({ on, ssid, passphrase, country, poolSize }: PracticeView['air']) => ({
  on,
  ssid,
  passphrase,
  country,
  poolSize,
});

/** Says something to whoever listens on the practice network. */
async function say(packet: Buffer, to: number): Promise<void> {
  const socket = createSocket('udp4');
  await new Promise((resolve) => socket.send(packet, to, `${network}.254`, resolve));
  socket.close();
}
const announce = (name: string, address: string): Promise<void> =>
  say(
    encode({ type: 'response', answers: [{ type: 'A', name: `${name}.local`, ttl: 120, data: address }] }),
    15_353,
  );

/** Calls the bench as a board does. @returns the status */
const call = (from: string, mark: string, hostName: string): Promise<number> =>
  new Promise((resolve, reject) => {
    const sent = request(
      `http://${network}.254:18722/call-in/${mark}`,
      { method: 'POST', localAddress: from, agent: false },
      (response) => {
        response.resume();
        resolve(response.statusCode ?? 0);
      },
    );
    sent.on('error', reject);
    sent.end(`hostname=${hostName}`);
  });

describe('listening', () => {
  it('tells the networks that this computer is on, the practice one only while it is out', async () => {
    const places = await server.ok<Place[]>('GET', '/places');
    expect(places).toContainEqual(
      expect.objectContaining({ name: 'practice', subnet: `${network}.0/24`, wireless: true }),
    );
    expect(places.every(({ name }) => name !== 'lo')).toBe(true);
    const settings = await server.ok<StationSettings>('GET', '/settings/station');
    await server.ok('PUT', '/settings/station', { ...settings, practice: false });
    expect((await server.ok<Place[]>('GET', '/places')).map(({ name }) => name)).not.toContain('practice');
    await server.ok('PUT', '/settings/station', settings);
  });

  it.each(['multicast', 'address-request', 'neighbours', 'call-in'] as const)(
    'by %s alone proves every board, without a subnet, and ends by itself',
    async (source) => {
      await forget();
      const [newest] = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}`);
      const { id } = await listen([source]);
      await listening(id);
      await power(true);
      const { state, message } = await endOf(id);
      expect([state, message]).toEqual(['done', 'All 3 are proved.']);
      const { devices } = await progress();
      expect(devices.map(({ seen }) => [seen?.standing, seen?.alsoAt])).toEqual(
        devices.map(() => ['proved', []]),
      );
      const log = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}`);
      const since = log.filter(({ id: entry }) => Number(entry) > Number(newest!.id));
      expect(since.filter(({ kind }) => kind === 'proved')).toHaveLength(3);
      if (source === 'address-request' || source === 'neighbours')
        expect(devices[0]!.seen!.hardwareAddress).toMatch(/^02:/);
    },
  );

  it('by a list on this computer alone, which is read again as it is written; no network has to be named', async () => {
    await forget();
    const folder = mkdtempSync(join(tmpdir(), 'nest-mark-list-'));
    try {
      const listPath = join(folder, 'leases');
      const begin = (path: string): Promise<Watch> =>
        server.ok('POST', `/batches/${batch.id}/watches`, {
          sources: ['list-file'],
          places: [],
          port,
          listPath: path,
        });
      const missing = await begin(listPath);
      const off = await server.until(async () => {
        const { watch } = await progress();
        return watch?.id === missing.id && watch.sources.some(({ message }) => message !== '') ? watch : null;
      });
      expect(off.sources[0]!.message).toContain(`There is no ${listPath}`);
      await endOf(missing.id);
      writeFileSync(listPath, '');
      const { id } = await begin(listPath);
      expect((await listening(id)).listPath).toBe(listPath);
      await power(true);
      const { boards: all }: PracticeView = await server.ok('GET', '/practice');
      // As dnsmasq writes it (dnsmasq(8)), a board after the other.
      for (const { address, hardwareAddress } of all.filter(({ address }) => address !== null))
        appendFileSync(listPath, `1795868973 ${hardwareAddress} ${address!} * *\n`);
      expect((await endOf(id)).message).toBe('All 3 are proved.');
    } finally {
      rmSync(folder, { recursive: true });
    }
  });

  it('is begun once at a time, stopped by a person, and stopped once', async () => {
    await forget();
    const { id } = await listen(['multicast']);
    await listening(id);
    expect(
      await server.refused('POST', `/batches/${batch.id}/watches`, {
        sources: ['multicast'],
        places: ['practice'],
        port,
      }),
    ).toMatchObject({ status: 409, code: 'watch-running' });
    await server.ok('POST', `/watches/${id}/stop`);
    expect(await endOf(id)).toMatchObject({
      state: 'cancelled',
      message: 'Nobody listens any more: it was stopped.',
    });
    expect(await server.refused('POST', `/watches/${id}/stop`)).toMatchObject({ code: 'watch-ended' });
  });

  it('who was proved before is not told again; it goes on until each has signed anew', async () => {
    await forget();
    await power(true);
    await server.search(batch.id, `${network}.0/24`);
    const [newest] = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}`);
    const before = (await progress()).devices.map(({ seen }) => seen!.at);
    const { id } = await listen(['neighbours']);
    expect((await endOf(id)).message).toBe('All 3 are proved.');
    const { devices } = await progress();
    devices.forEach(({ seen }, at) => expect(seen!.at).toBeGreaterThan(before[at]!));
    const log = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}`);
    const since = log.filter(({ id: entry }) => Number(entry) > Number(newest!.id));
    expect(since.map(({ kind }) => kind)).toEqual(['watch-started']);
  });

  it('what is heard has the time of the database, whatever this computer’s clock says', async () => {
    await forget();
    const { id } = await listen(['multicast']);
    await listening(id);
    const real = Date.now;
    // An hour ahead, as a computer without a network clock may be.
    const ahead = jest.spyOn(Date, 'now').mockImplementation(() => real() + 3_600_000);
    try {
      await announce('tank-01', `${network}.79`);
      const host = await server.until(async () => (await progress()).hosts[0] ?? null);
      expect(Math.abs(host.at - (await server.domains.runs.repository.now()))).toBeLessThan(1_800_000);
    } finally {
      ahead.mockRestore();
    }
  });

  it('on no network, or one that is not here, is refused before anything is opened', async () => {
    const ask = (places: string[], sources: string[]) =>
      server.refused('POST', `/batches/${batch.id}/watches`, { places, sources, port });
    expect(await ask([], ['multicast'])).toMatchObject({ code: 'place-none' });
    expect(await ask(['practice'], [])).toMatchObject({ code: 'place-none' });
    expect(await ask(['eth99'], ['multicast'])).toMatchObject({ code: 'place-missing' });
  });

  it('a source that cannot be had says why, and the others listen on', async () => {
    await forget();
    const taken = createSocket('udp4');
    await new Promise<void>((resolve) => taken.bind(15_067, `${network}.254`, () => resolve()));
    const { id } = await listen(['multicast', 'address-request']);
    const watch = await server.until(async () => {
      const { watch: now } = await progress();
      return now?.sources.some(({ message }) => message !== '') && now.sources.some(({ on }) => on)
        ? now
        : null;
    });
    expect(watch.sources).toMatchObject([
      { source: 'multicast', on: true },
      { source: 'address-request', on: false, message: expect.stringContaining('is in use') as string },
    ]);
    await power(true);
    expect((await endOf(id)).state).toBe('done');
    await new Promise<void>((resolve) => taken.close(() => resolve()));
  });

  it('of a board that gets no address tells that it asks again and again', async () => {
    await forget();
    const { air } = await server.ok<PracticeView>('GET', '/practice');
    await server.act({ do: 'air', air: { ...airOf(air), poolSize: 0 } });
    const { id } = await listen(['address-request']);
    await listening(id);
    await server.act({ do: 'powerAll', on: true });
    const host = await server.until(async () => {
      const { hosts } = await progress();
      return hosts.find(({ told }) => told.includes('again and again')) ?? null;
    });
    expect(host).toMatchObject({ addresses: [], names: [expect.stringMatching(/^tank-/)] });
    expect(host.told).toContain('It calls itself tank-');
    await server.ok('POST', `/watches/${id}/stop`);
    await endOf(id);
    await server.act({ do: 'powerAll', on: false });
    await server.act({ do: 'air', air: airOf(air) });
  });
});

describe('what is not believed', () => {
  it('a call proves nothing: the mark and the name of a board, from a host that signs with another key', async () => {
    await forget();
    await boards.at(
      `${network}.77`,
      await boards.keyOf(await server.batch({ ...tankPlan(1, null, network), name: 'Callers' }), 0),
    );
    await boards.at(`${network}.78`, await boards.keyOf(batch, 1));
    const { id } = await listen(['call-in']);
    await listening(id);
    const [first, second] = batch.plan.devices;
    // The first is a lie; the second says another's mark, and signs as who it is.
    await call(`${network}.77`, first!.mark, first!.hostName);
    await call(`${network}.78`, first!.mark, 'anybody');
    const { devices, strangers } = await server.until(async () => {
      const now = await progress();
      return now.devices[1]!.seen && now.strangers.length > 0 ? now : null;
    });
    expect(devices.map(({ seen }) => seen?.standing ?? null)).toEqual([null, 'proved', null]);
    expect(devices[1]!.seen!.address).toBe(`${network}.78`);
    expect(second!.id).toBe(devices[1]!.deviceId);
    expect(strangers[0]!.known).toContain('of the batch Callers');
    await server.ok('POST', `/watches/${id}/stop`);
    await endOf(id);
  });

  it('the port of calls is open while somebody listens and not before or after; without calls in the plan it says so', async () => {
    await forget();
    const [first] = batch.plan.devices;
    await expect(call(`${network}.90`, first!.mark, 'x')).rejects.toMatchObject({ code: 'ECONNREFUSED' });
    const { id } = await listen(['call-in']);
    await listening(id);
    expect(await call(`${network}.90`, first!.mark, 'x')).toBe(204);
    await server.ok('POST', `/watches/${id}/stop`);
    await endOf(id);
    await expect(call(`${network}.90`, first!.mark, 'x')).rejects.toMatchObject({ code: 'ECONNREFUSED' });
    const quiet = await server.batch({ ...tankPlan(1, null, network), name: 'Quiet' });
    const other = await listen(['call-in', 'neighbours'], quiet);
    const sources = await server.until(async () => {
      const { watch } = await progress(quiet);
      return watch?.sources.find(({ source, message }) => source === 'call-in' && message !== '')
        ? watch.sources
        : null;
    });
    expect(sources.find(({ source }) => source === 'call-in')).toMatchObject({
      on: false,
      message: expect.stringContaining('chosen in the plan') as string,
    });
    await server.ok('POST', `/watches/${other.id}/stop`);
    await endOf(other.id, quiet);
  });

  it('a name that somebody announces is heard, and proves nothing', async () => {
    await forget();
    await boards.at(
      `${network}.77`,
      await boards.keyOf(await server.batch({ ...tankPlan(1, null, network), name: 'Others' }), 0),
    );
    const { id } = await listen(['multicast']);
    await listening(id);
    await announce('tank-01', `${network}.77`);
    const { devices, strangers } = await server.until(async () => {
      const now = await progress();
      return now.strangers.length > 0 ? now : null;
    });
    expect(devices.map(({ seen }) => seen)).toEqual([null, null, null]);
    // It signed with a key of another batch: that is who it is, whatever it calls itself.
    expect(devices.map(({ heard }) => heard)).toEqual([null, null, null]);
    expect(strangers[0]!.known).toContain('of the batch Others');
    await server.ok('POST', `/watches/${id}/stop`);
    await endOf(id);
  });

  it('a host that may be a device of another batch is told with that batch', async () => {
    await forget();
    const plan = tankPlan(1, null, network);
    const devices = plan.devices.map((device) => ({ ...device, hostName: 'sluice-1' }));
    await server.batch({ ...plan, devices, name: 'Sluices' });
    const { id } = await listen(['multicast']);
    await listening(id);
    await announce('sluice-1', `${network}.76`);
    const host = await server.until(async () => (await progress()).hosts[0] ?? null);
    expect(host.told).toContain('Perhaps sluice-1 of the batch Sluices.');
    expect((await progress()).devices.map(({ heard }) => heard)).toEqual([null, null, null]);
  });

  it('addresses of other networks are never contacted, whoever announces them', async () => {
    await forget();
    const elsewhere = '127.61.48.5';
    await boards.at(elsewhere, await boards.keyOf(batch, 0));
    const { id } = await listen(['multicast', 'address-request']);
    await listening(id);
    await announce('tank-01', elsewhere);
    await announce('tank-02', `${network}.78`);
    await server.until(async () => ((await progress()).hosts.length > 0 ? true : null));
    const { hosts, devices } = await progress();
    expect(hosts.flatMap(({ addresses }) => addresses)).toEqual([`${network}.78`]);
    expect(devices[0]!.seen).toBeNull();
    await server.ok('POST', `/watches/${id}/stop`);
    await endOf(id);
  });

  it('a flood of noise and of made-up names ends in a bound, and a board is proved all the same', async () => {
    await forget();
    const { id } = await listen(['multicast', 'address-request']);
    await listening(id);
    const socket = createSocket('udp4');
    for (let at = 0; at < 6000; at++) {
      const noise = Buffer.from(Array.from({ length: at % 300 }, (_, index) => (at * 31 + index * 17) % 256));
      const name = encode({
        type: 'response',
        answers: [
          {
            type: 'A',
            name: `n${String(at)}.local`,
            ttl: 120,
            data: `${network}.${String(100 + (at % 100))}`,
          },
        ],
      });
      for (const [packet, to] of [
        [noise, 15_353],
        [noise, 15_067],
        [name, 15_353],
      ] as const)
        await new Promise((resolve) => socket.send(packet, to, `${network}.254`, resolve));
    }
    socket.close();
    await power(true);
    expect((await endOf(id)).state).toBe('done');
    const [{ count } = { count: '0' }] = await server
      .knex('clue')
      .where('run_id', id)
      .count<{ count: string }[]>();
    expect(Number(count)).toBeLessThanOrEqual(4000);
  });

  it('hosts that keep a connection and say nothing, or never stop greeting, hold nobody up', async () => {
    await forget();
    const silent = createServer(() => undefined).listen(port, `${network}.80`);
    const endless = createServer((socket) => {
      socket.on('error', () => undefined);
      socket.write('SSH-2.0-'.padEnd(1 << 20, 'x'));
    }).listen(port, `${network}.81`);
    const { id } = await listen(['multicast']);
    await listening(id);
    for (const host of [80, 81]) await announce('tank-01', `${network}.${String(host)}`);
    await power(true);
    expect((await endOf(id)).state).toBe('done');
    silent.close();
    endless.close();
  });
});

describe('before and after', () => {
  /** A host that asks for an address, and says nothing else. */
  const asks = (last: number): Promise<void> => {
    const hardwareAddress = `02:00:5e:00:53:${last.toString(16)}`;
    const speaker = { hostName: 'board', hardwareAddress, mark: null };
    return say(addressRequest(speaker, `${network}.${String(last)}`), 15_067);
  };
  const hostOf = async (last: number): Promise<HeardHost | undefined> => {
    const { hosts } = await progress();
    return hosts.find(({ hardwareAddress }) => hardwareAddress === `02:00:5e:00:53:${last.toString(16)}`);
  };
  const heard = (last: number): Promise<HeardHost> => server.until(async () => (await hostOf(last)) ?? null);
  const name = (deviceId: string, last: number) => ({
    deviceId,
    hardwareAddress: `02:00:5e:00:53:${last.toString(16)}`,
  });

  it('who comes after it was remembered who is here is new; a person names it, and is believed less than a key', async () => {
    await forget();
    const [first, second] = batch.plan.devices;
    // Seen by a search of before, and off now: it is not here, and will be new when it comes.
    const seenBefore = { address: `${network}.130`, hardware_address: '02:00:5e:00:53:82', port };
    await server.knex('sighting').insert({
      ...seenBefore,
      batch_id: batch.id,
      search_id: randomUUID(),
      key_proven: false,
      at: server.knex.raw(`now() - interval '1 hour'`),
    });
    const { id } = await listen(['address-request']);
    await listening(id);
    await asks(0x81);
    expect((await heard(0x81)).isNew).toBe(false);
    expect(await server.ok<Remembered>('POST', `/batches/${batch.id}/remembered`)).toMatchObject({
      hosts: 1,
    });
    await asks(0x82);
    const came = await heard(0x82);
    expect(came).toMatchObject({ isNew: true, namedAs: null, maker: 'a made-up address' });
    expect((await hostOf(0x81))!.isNew).toBe(false);
    await server.ok('POST', `/batches/${batch.id}/namings`, name(first!.id, 0x82));
    const { devices, remembered } = await progress();
    expect(remembered).toMatchObject({ hosts: 1 });
    expect(devices[0]!.heard).toMatchObject({
      standing: 'likely',
      address: `${network}.130`,
      why: expect.stringContaining('A person said that this board is it') as string,
    });
    // The last word counts, of a board and of a device.
    await server.ok('POST', `/batches/${batch.id}/namings`, name(second!.id, 0x82));
    expect((await progress()).devices.map(({ heard: it }) => it?.standing ?? null)).toEqual([
      null,
      'likely',
      null,
    ]);
    expect((await hostOf(0x82))!.namedAs).toBe(second!.id);
    await server.ok('POST', `/batches/${batch.id}/namings`, { deviceId: second!.id, hardwareAddress: null });
    expect((await progress()).devices.every(({ heard: it }) => it === null)).toBe(true);
    expect(await server.refused('POST', `/batches/${batch.id}/namings`, name(first!.id, 0x99))).toMatchObject(
      { code: 'naming-unknown' },
    );
    await server.ok('DELETE', `/batches/${batch.id}/remembered`);
    expect((await hostOf(0x82))!.isNew).toBe(false);
    // A board that signs says itself who it is, and nobody else can be said to be there.
    await server.ok('POST', `/batches/${batch.id}/namings`, name(first!.id, 0x82));
    await power(true);
    expect((await endOf(id)).state).toBe('done');
    const after = await progress();
    expect(after.devices.map(({ seen }) => seen?.standing)).toEqual(['proved', 'proved', 'proved']);
    expect(await server.refused('POST', `/batches/${batch.id}/namings`, name(first!.id, 0x82))).toMatchObject(
      {
        code: 'naming-proved',
      },
    );
  });

  it('who was remembered is no news in a later listening that tells its address only', async () => {
    await forget();
    const { id } = await listen(['address-request']);
    await listening(id);
    await asks(0x83);
    await heard(0x83);
    await server.ok('POST', `/batches/${batch.id}/remembered`);
    await server.ok('POST', `/watches/${id}/stop`);
    await endOf(id);
    const later = await listen(['multicast']);
    await listening(later.id);
    await announce('board', `${network}.131`);
    await announce('other', `${network}.132`);
    const hosts = await server.until(async () => {
      const now = (await progress()).hosts;
      return now.length === 2 ? now : null;
    });
    expect(new Map(hosts.map(({ addresses, isNew }) => [addresses[0], isNew]))).toEqual(
      new Map([
        [`${network}.131`, false],
        [`${network}.132`, true],
      ]),
    );
    await server.ok('DELETE', `/batches/${batch.id}/remembered`);
  });

  it('before anybody listened there is nobody to remember', async () => {
    const quiet = await server.batch({ ...tankPlan(1, null, network), name: 'Unheard' });
    expect(await server.refused('POST', `/batches/${quiet.id}/remembered`)).toMatchObject({
      code: 'nobody-heard',
    });
  });
});

describe('many at once', () => {
  it('fifty boards that come together are all proved', async () => {
    const many = await server.batch({ ...tankPlan(50, null, network), name: 'Many' });
    const { id } = await listen(['multicast'], many);
    await server.until(async () => {
      const { watch } = await progress(many);
      return watch?.id === id && watch.sources.every(({ on }) => on) ? true : null;
    });
    const keys = await Promise.all(many.plan.devices.map((_, at) => boards.keyOf(many, at)));
    await Promise.all(
      keys.map(async (key, at) => {
        const address = `${network}.${String(100 + at)}`;
        await announce(many.plan.devices[at]!.hostName, address);
        await boards.at(address, key);
      }),
    );
    expect(await endOf(id, many)).toMatchObject({ state: 'done', message: 'All 50 are proved.' });
  });
});

describe('what a person gives', () => {
  it('a list is shown before anything is contacted, with the devices that it names', async () => {
    await forget();
    const text = `1795868973 02:00:5e:00:53:12 ${network}.30 tank-02 *
1795868973 02:00:5e:00:53:13 ${network}.31 printer *
`;
    const preview = await server.ok<HostTable>('POST', `/batches/${batch.id}/clues/preview`, { text });
    expect(preview.rows.map(({ address, device }) => [address, device])).toEqual([
      [`${network}.30`, 'tank-02'],
      [`${network}.31`, ''],
    ]);
    for (const bad of ['', 'nothing here', 'a 8.8.8.8 00:00:5e:00:53:01'])
      expect(await server.refused('POST', `/batches/${batch.id}/clues/preview`, { text: bad })).toMatchObject(
        {
          status: 422,
          code: 'table-unread',
        },
      );
  });

  it('an address that is typed and a list that is pasted prove boards, and end by themselves', async () => {
    await forget();
    await power(true);
    const { boards: all } = await server.ok<PracticeView>('GET', '/practice');
    const [first, ...others] = all;
    const typed = await give(first!.address!, 'hand');
    expect(await endOf(typed.id)).toMatchObject({
      state: 'done',
      message: 'Every address was asked; 1 of the batch signed with their keys.',
    });
    const lines = others.map(
      ({ address, hardwareAddress }) => `${address!} dev wlan0 lladdr ${hardwareAddress} STALE`,
    );
    const pasted = await give(lines.join('\n'), 'table');
    expect((await endOf(pasted.id)).message).toBe(
      `Every address was asked; ${String(others.length)} of the batch signed with their keys.`,
    );
    expect((await progress()).devices.every(({ seen }) => seen?.standing === 'proved')).toBe(true);
  });

  it('goes to the listening that is on', async () => {
    await forget();
    const { id } = await listen(['multicast']);
    await listening(id);
    expect((await give(`${network}.99`, 'hand')).id).toBe(id);
    await server.ok('POST', `/watches/${id}/stop`);
    await endOf(id);
  });

  it('eight at once begin one listening, and every address is asked', async () => {
    await forget();
    const answers = await Promise.all(
      Array.from({ length: 8 }, (_, at) => give(`${network}.${String(90 + at)}`, 'hand').catch(() => null)),
    );
    expect(answers.filter((answer) => answer === null).length).toBeLessThan(8);
    const all = await server.until(async () => {
      const runs = await server.knex('run').where({ batch_id: batch.id, kind: 'watch' });
      return runs.every(({ state }) => !['queued', 'running'].includes(state as string)) ? runs : null;
    });
    expect(all.every(({ state }) => state !== 'failed')).toBe(true);
  });

  it('in the moment in which a listening ends, is asked in one of its own: nothing that was given is lost', async () => {
    await forget();
    await power(true);
    const { boards: all } = await server.ok<PracticeView>('GET', '/practice');
    const before = new Set((await server.knex('run').where({ kind: 'watch' })).map(({ id }) => id as string));
    for (const { address } of all) await give(address!, 'hand');
    await server.until(async () => {
      const { devices } = await progress();
      return devices.every(({ seen }) => seen?.standing === 'proved') ? true : null;
    });
    const runs = await server.knex('run').where({ kind: 'watch' });
    expect(runs.filter(({ id }) => !before.has(id as string)).length).toBeGreaterThan(0);
  });
});

describe('a board that moves, and a card that was copied, during one listening', () => {
  it('are told apart: the first place is asked again', async () => {
    await forget();
    const key = await boards.keyOf(batch, 0);
    const { id } = await listen(['multicast']);
    await listening(id);
    const cut = await boards.at(`${network}.60`, key);
    await announce('tank-01', `${network}.60`);
    const seen = async (address: string) => {
      const now = (await progress()).devices[0]!.seen;
      return now?.address === address ? now : null;
    };
    expect(await server.until(() => seen(`${network}.60`))).toMatchObject({ standing: 'proved', alsoAt: [] });
    cut();
    await boards.at(`${network}.61`, key);
    await announce('tank-01', `${network}.61`);
    const moved = await server.until(() => seen(`${network}.61`));
    expect(moved).toMatchObject({ standing: 'proved', alsoAt: [] });
    expect(moved.told).toEqual([`It moved: it signed at ${network}.60 before.`]);
    await boards.at(`${network}.62`, key);
    await announce('tank-01', `${network}.62`);
    const copied = await server.until(async () => {
      const now = (await progress()).devices[0]!.seen;
      return now && now.alsoAt.length > 0 ? now : null;
    });
    expect([copied.address, ...copied.alsoAt].sort()).toEqual([`${network}.61`, `${network}.62`]);
    // The log has it too, as it has what a search finds.
    const text = await server.until(async () => {
      const log = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}`);
      return log.find(({ kind }) => kind === 'copied')?.text ?? null;
    });
    expect(text).toContain('its card was copied');
    await server.ok('POST', `/watches/${id}/stop`);
    await endOf(id);
  });

  it('what the database refuses once is asked for anew: no proof is lost', async () => {
    await forget();
    const key = await boards.keyOf(batch, 1);
    const { id } = await listen(['multicast']);
    await listening(id);
    await server.knex.raw(`
      create function refuse_sighting() returns trigger language plpgsql as
        $$ begin raise exception 'refused by the test' using errcode = 'P0001'; end $$;
      create trigger refuse_sighting before insert on sighting for each row execute function refuse_sighting();
    `);
    await boards.at(`${network}.65`, key);
    await announce('tank-02', `${network}.65`);
    await server.until(async () => ((await progress()).hosts.length > 0 ? true : null));
    // Longer than it is tried again and again by itself.
    await new Promise((resolve) => setTimeout(resolve, 6000));
    expect((await progress()).devices[1]!.seen).toBeNull();
    await server.knex.raw('drop trigger refuse_sighting on sighting; drop function refuse_sighting();');
    expect(await server.until(async () => (await progress()).devices[1]!.seen)).toMatchObject({
      standing: 'proved',
      address: `${network}.65`,
    });
  });

  it('a listening that a killed program left is ended with a sentence, and its port is not opened by itself', async () => {
    const id = '7d0d5c1e-5b1e-4c55-9d0c-0d3a6f1c2b11';
    const { runs } = server.domains;
    const order = { sources: ['address-request'], places: ['practice'], port };
    await runs.repository.create(
      {
        id,
        kind: 'watch',
        batchId: batch.id,
        begunBy: 'a test',
        order,
        items: [{ subject: 'address-request' }],
      },
      'test',
      server.knex,
    );
    await runs.repository.begin(id, 'test', '7d0d5c1e-5b1e-4c55-9d0c-0d3a6f1c2b12');
    await server.restart();
    expect((await progress()).watch).toMatchObject({
      id,
      state: 'interrupted',
      message: expect.stringContaining('begin to listen again') as string,
    });
  });

  it('the port of requests is closed when nobody listens', async () => {
    const socket = createSocket('udp4');
    await new Promise<void>((resolve, reject) => {
      socket.once('error', reject);
      socket.bind(15_067, `${network}.254`, () => resolve());
    });
    await new Promise<void>((resolve) => socket.close(() => resolve()));
  });
});

describe('what this bench learns of waiting', () => {
  it('the times from power-on to proof count by kind of board; those of stand-ins do not', async () => {
    const [first, second] = batch.plan.devices;
    const keys = await server.knex('device').whereIn('id', [first!.id, second!.id]).orderBy('position');
    const arrived = (address: string, hostKey: string, seconds: number): Promise<unknown> =>
      server.knex.raw(
        `insert into sighting (batch_id, search_id, address, port, host_key, key_proven, at)
         values (?, ?, ?, 22, ?, true, (select powered_at from device where host_key = ?) + ? * interval '1 second')`,
        [batch.id, randomUUID(), address, hostKey, hostKey, seconds],
      );
    await server.knex('sighting').del();
    await server
      .knex('device')
      .where('batch_id', batch.id)
      .update({ powered_at: new Date(0) });
    // Nothing is sent there: it is what a search of another network would have left.
    await arrived('10.9.8.7', (keys[0] as { host_key: string }).host_key, 140);
    await arrived(`${network}.9`, (keys[1] as { host_key: string }).host_key, 3);
    const learnt = await new SearchRepository(server.knex).arrivals();
    expect([...learnt]).toEqual([[kindOf(batch.plan.boardProfileId, batch.plan.imageId), [140]]]);
    await server.knex('sighting').del();
  });

  long(
    'and what was learnt holds for the files of the hand-over too: nobody is late there who is not late on the page',
    async () => {
      await forget();
      const keys = await server.knex('device').where('batch_id', batch.id).orderBy('position');
      await server
        .knex('device')
        .where('batch_id', batch.id)
        .update({ powered_at: server.knex.raw(`now() - interval '400 seconds'`) });
      const [, ...slow] = keys as { host_key: string }[];
      // As searches of another network would have left it; those boards took a quarter of an hour.
      for (const [at, { host_key: hostKey }] of slow.entries())
        await server.knex('sighting').insert({
          batch_id: batch.id,
          search_id: randomUUID(),
          address: `10.9.8.${String(at + 1)}`,
          port,
          host_key: hostKey,
          key_proven: true,
          at: server.knex.raw(`now() + interval '500 seconds'`),
        });
      // They are asked for again after a while.
      await server.until(async () =>
        Object.values((await progress()).arrivals).some((seen) => seen.length === slow.length) ? true : null,
      );
      const text = await server.ok<string>('GET', `/batches/${batch.id}/hand-over/batch.csv`);
      expect(text).toMatch(/tank-01,.*,booting,/);
      await server.knex('sighting').del();
      await server.knex('device').where('batch_id', batch.id).update({ powered_at: null });
    },
  );

  it('where boards are away longer than usual, the look that comes first stands in how far the batch is', async () => {
    await forget();
    const powered = (seconds: number): Promise<unknown> =>
      server
        .knex('device')
        .where('batch_id', batch.id)
        .update({ powered_at: server.knex.raw(`now() - ? * interval '1 second'`, [seconds]) });
    await powered(1);
    expect((await progress()).look).toBe('');
    await powered(900);
    const { cases } = await server.ok<{ cases: CaseView[] }>('GET', `/batches/${batch.id}/cases`);
    expect(cases[0]!.next!.question).toMatch(/\?$/);
    expect((await progress()).look).toBe(cases[0]!.next!.question);
    await server.knex('device').where('batch_id', batch.id).update({ powered_at: null });
    expect((await progress()).look).toBe('');
  });
});
