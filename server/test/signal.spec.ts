import { execFileSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Batch, BatchProgress, LogEntry, PracticeView } from '@nest-mark/core';
import type { SignalView } from '@nest-mark/core/api';
import { noSandbox } from '../../stand-in/src/board/sandbox';
import { baseImage, TestServer, tankPlan } from './helpers/server';

/** What is heard where boards will be: by the practice bench's radio, and by practice boards over real logins. */

const network = '127.61.101';
let server: TestServer;
let batch: Batch;

const air = (change: object = {}): Promise<unknown> =>
  server.act({
    do: 'air',
    air: {
      on: true,
      ssid: 'Saltmarsh Bench',
      passphrase: 'low tide at seven',
      country: 'DK',
      bands: ['2.4 GHz'],
      hidden: false,
      carried: 0,
      ...change,
    },
  });
const key = (): Record<string, string> => ({ 'Idempotency-Key': randomUUID() });
const byAdapter = (place: string): object => ({ sensor: 'adapter', place, adapter: 'practice0' });
const byBoard = (place: string, index = 0): object => ({
  sensor: 'board',
  place,
  deviceId: batch.plan.devices[index]!.id,
  way: 'bench-key',
});
const listen = (body: object, of = batch): Promise<SignalView> =>
  server.ok('POST', `/batches/${of.id}/signal`, body, key());
const refused = (body: object, of = batch): Promise<unknown> =>
  server.refused('POST', `/batches/${of.id}/signal`, body, key());
const view = (of = batch): Promise<SignalView> => server.ok('GET', `/batches/${of.id}/signal`);

/** A batch whose boards join the network of the practice bench. */
async function planned(count: number, imageId: string | null = null, change: object = {}): Promise<Batch> {
  const shelved = await server.newNetwork({ ssid: 'Saltmarsh Bench', ...change }, 'low tide at seven');
  const plan = tankPlan(count, imageId, network);
  return server.batch({ ...plan, networks: [{ networkId: shelved.id, priority: 10 }] });
}

beforeAll(async () => {
  server = await TestServer.start(network);
  batch = await planned(2);
});
afterAll(() => server.end());
beforeEach(() => air());
afterEach(() => jest.restoreAllMocks());

describe('a walk with this computer’s adapter', () => {
  it('notes how strongly the plan’s network is heard at each place, in the list and in the log', async () => {
    const of = await planned(1, null, { bands: ['2.4 GHz', '5 GHz'] });
    await listen(byAdapter('  Tank hall '), of);
    await air({ carried: 38 });
    const { readings } = await listen(byAdapter('Sluice'), of);
    expect(readings.map(({ place, band, dbm, sensorName }) => [place, band, dbm, sensorName])).toEqual([
      ['Tank hall', '2.4 GHz', -43, 'practice0'],
      ['Tank hall', '5 GHz', null, 'practice0'],
      ['Sluice', '2.4 GHz', -81, 'practice0'],
      ['Sluice', '5 GHz', null, 'practice0'],
    ]);
    const [line] = await server.ok<LogEntry[]>('GET', `/log?batchId=${of.id}&limit=1`);
    expect(line?.text).toMatch(
      /^Signal at “Sluice”, by practice0: “.+” −81 dBm on 2.4 GHz and “.+” not heard on 5 GHz\.$/,
    );
    await air({ carried: 60 });
    expect((await listen(byAdapter('Sluice'), of)).readings.at(-2)).toMatchObject({ dbm: null });
  });

  it('says why there is nothing to hear', async () => {
    const plan = tankPlan(1, null, network);
    const bare = await server.ok<Batch>('POST', '/batches', { plan, secrets: {} });
    expect(await refused(byAdapter('x'), bare)).toMatchObject({
      status: 409,
      code: 'nothing-to-hear',
      detail: expect.stringContaining('no Wi-Fi network') as string,
    });
    const hidden = await planned(1, null, { hidden: true });
    await air({ hidden: true });
    expect(await refused(byAdapter('x'), hidden)).toMatchObject({
      detail: expect.stringContaining('hidden') as string,
    });
    const other = await planned(1, null, { bands: ['6 GHz'], ssid: 'Not there' });
    expect(await refused(byAdapter('x'), other)).toMatchObject({
      detail: expect.stringContaining('2.4 GHz and 5 GHz') as string,
    });
    expect(await view(other)).toEqual({ batchId: other.id, readings: [] });
  });

  it('refuses what is no place, no adapter, no batch', async () => {
    for (const place of ['', '   ', 'x'.repeat(61), 'a\nb'])
      expect(await refused(byAdapter(place))).toMatchObject({ status: 422 });
    expect(await refused({ sensor: 'adapter', place: 'x', adapter: 'wlan7' })).toMatchObject({
      code: 'adapter-missing',
    });
    expect(await refused(byAdapter('x'), { ...batch, id: randomUUID() })).toMatchObject({
      code: 'batch-missing',
    });
    expect(
      await server.refused('POST', `/batches/${batch.id}/signal/forget`, { place: 'Nowhere' }),
    ).toMatchObject({ status: 404, code: 'walked-place-missing' });
  });

  it('forgets a place with all that was read there, once', async () => {
    const of = await planned(1);
    await listen(byAdapter('Tank hall'), of);
    await listen(byAdapter('Tank hall'), of);
    await listen(byAdapter('Sluice'), of);
    const forget = `/batches/${of.id}/signal/forget`;
    const left = await server.ok<SignalView>('POST', forget, { place: 'Tank hall' });
    expect(left.readings.map(({ place }) => place)).toEqual(['Sluice']);
    expect(await server.refused('POST', forget, { place: 'Tank hall' })).toMatchObject({ status: 404 });
  });

  /** Holds the radio in the middle of listening until it is let go. */
  function held(): { inside: Promise<void>; go: () => void } {
    const { radio } = server.domains.air.radios[0]!;
    const real = radio.look.bind(radio);
    let go = (): void => undefined;
    const gate = new Promise<void>((done) => (go = done));
    const inside = new Promise<void>((reached) => {
      jest.spyOn(radio, 'look').mockImplementation(async (...args) => {
        reached();
        await gate;
        return real(...args);
      });
    });
    return { inside, go };
  }

  it('is told that the adapter is at work, and a press that is sent twice listens once', async () => {
    const of = await planned(1);
    const { inside, go } = held();
    const same = key();
    const path = `/batches/${of.id}/signal`;
    const presses = [0, 1].map(() => server.ok<SignalView>('POST', path, byAdapter('Tank hall'), same));
    await inside;
    expect(await refused(byAdapter('Sluice'), of)).toMatchObject({ status: 409, code: 'adapter-busy' });
    go();
    const [first, second] = await Promise.all(presses);
    expect(second).toEqual(first);
    expect((await view(of)).readings).toHaveLength(1);
  });

  it('leaves nothing where its batch goes meanwhile, and says so', async () => {
    const of = await planned(1);
    const { inside, go } = held();
    const going = refused(byAdapter('Tank hall'), of);
    await inside;
    await server.knex('batch').where('id', of.id).delete();
    go();
    expect(await going).toMatchObject({ status: 404, code: 'batch-missing' });
    expect(await server.knex('signal_reading').where('batch_id', of.id)).toEqual([]);
  });

  it('that the database refuses can be walked again: nothing half is left', async () => {
    const of = await planned(1, null, { bands: ['2.4 GHz', '5 GHz'] });
    await server.knex.raw(`
      create function refuse_reading() returns trigger language plpgsql as
        $$ begin if new.dbm is null then raise exception 'full'; end if; return new; end $$;
      create trigger refuse_reading before insert on signal_reading for each row execute function refuse_reading()`);
    expect(await refused(byAdapter('Tank hall'), of)).toMatchObject({ status: 500 });
    await server.knex.raw('drop trigger refuse_reading on signal_reading');
    expect((await view(of)).readings).toEqual([]);
    expect((await listen(byAdapter('Tank hall'), of)).readings).toHaveLength(2);
  });
});

const whenSandbox = noSandbox() === null ? describe : describe.skip;

whenSandbox('a proved board that is there already', () => {
  beforeAll(async () => {
    await air();
    const image = await server.shelve(baseImage);
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    batch = await planned(2, image.id);
    await server.act({ do: 'insertFresh' });
    await server.ended(batch.id, (await server.arm(batch.id)).id);
    await server.act({ do: 'seat', batchId: batch.id });
    expect(await refused(byBoard('Tank hall'))).toMatchObject({ status: 409, code: 'board-not-proved' });
    await server.act({ do: 'powerAll', on: true });
    await server.until(async () =>
      (await server.ok<PracticeView>('GET', '/practice')).boards.every(({ phase }) => phase === 'online')
        ? true
        : null,
    );
    await server.search(batch.id, `${network}.0/24`);
    const { devices } = await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`);
    expect(devices.map(({ seen }) => seen?.standing)).toEqual(['proved', 'proved']);
  });

  it('tells how strongly it hears the network that it is on', async () => {
    const { readings } = await listen(byBoard('Tank hall', 1));
    expect(readings).toMatchObject([
      { place: 'Tank hall', band: '2.4 GHz', dbm: -52, sensor: 'board', sensorName: 'tank-02', about: false },
    ]);
    const [line] = await server.ok<LogEntry[]>(
      'GET',
      `/log?batchId=${batch.id}&deviceId=${batch.plan.devices[1]!.id}&limit=1`,
    );
    expect(line?.text).toMatch(/^Signal at “Tank hall”, by tank-02: “.+” −52 dBm on 2.4 GHz\.$/);
  });

  it('is not asked by a way that is not there, nor where it is not of the plan', async () => {
    expect(await refused({ ...byBoard('x'), way: 'password' })).toMatchObject({
      status: 422,
      code: 'way-missing',
    });
    expect(await refused({ ...byBoard('x'), deviceId: randomUUID() })).toMatchObject({
      code: 'device-missing',
    });
  });

  it('that is off says so, and nothing is noted', async () => {
    const nest = batch.plan.devices[0]!.nest;
    const before = (await view()).readings.length;
    await server.act({ do: 'power', nest, on: false });
    expect(await refused(byBoard('Tank hall'))).toMatchObject({ status: 409, code: 'board-refuses' });
    expect((await view()).readings).toHaveLength(before);
  });

  it('stands in the record, with what the boards can expect', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'nest-mark-walk-'));
    try {
      const response = await fetch(`${server.url}/api/batches/${batch.id}/record`, {
        headers: { 'X-Nest-Mark': '1' },
      });
      writeFileSync(join(folder, 'record.zip'), Buffer.from(await response.arrayBuffer()));
      execFileSync('unzip', ['-q', join(folder, 'record.zip'), '-d', folder]);
      const html = readFileSync(join(folder, 'record.html'), 'utf8');
      expect(html).toContain('Signal where the boards will be');
      expect(html).toContain('−52 dBm');
      expect(html).toMatch(/all 2 boards[\s\S]*Well heard: −52 dBm on 2.4 GHz/);
      const paper = execFileSync('pdftotext', ['-layout', join(folder, 'record.pdf'), '-'], {
        encoding: 'utf8',
      });
      expect(paper).toContain('−52 dBm');
    } finally {
      rmSync(folder, { recursive: true });
    }
  });
});
