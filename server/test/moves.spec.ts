import { randomUUID } from 'node:crypto';
import {
  emptyNetwork,
  type Batch,
  type BatchProgress,
  type LogEntry,
  type Move,
  type MovePlan,
  type PracticeView,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { noSandbox } from '../../stand-in/src/board/sandbox';
import { baseImage, TestServer, tankPlan } from './helpers/server';
import { long } from '../../core/test/helpers/long';

/** A batch moves to another network: as planned, with a board that comes back, and through a restart of the program. */

const network = '127.61.91';
const beyond = '127.61.155';
const port = 2222;
const passphrase = 'spring tide at noon';
let server: TestServer;
let batch: Batch;
let next: ShelvedNetwork;

const plan = (change: Partial<MovePlan> = {}): Partial<MovePlan> => ({
  fromId: batch.plan.networks[0]?.networkId ?? null,
  toId: next.id,
  returnMinutes: 1,
  groupSize: 2,
  ...change,
});
const current = async (): Promise<Move | null> =>
  (await server.ok<{ move: Move | null }>('GET', `/batches/${batch.id}/move`)).move;
const begun = (change: Partial<MovePlan> = {}): Promise<Move> =>
  server.ok('POST', `/batches/${batch.id}/move`, { plan: plan(change) });
const ids = (): string[] => batch.plan.devices.map(({ id }) => id);
const start = (move: Move, deviceIds = ids()): Promise<Move> =>
  server.ok('POST', `/moves/${move.id}/start`, { deviceIds, way: 'bench-key', version: move.version });
const ended = (): Promise<Move> =>
  server.until(async () => {
    const move = await current();
    return move && move.running === null && move.ended !== '' ? move : null;
  }, 150_000);
const stateOf = (move: Move, index: number): string | undefined =>
  move.boards.find(({ deviceId }) => deviceId === ids()[index])?.state;
const addresses = async (): Promise<string[]> =>
  (await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`)).devices.map(
    ({ seen }) => seen?.address.replace(/\.\d+$/, '') ?? '',
  );
const putAway = async (): Promise<void> => {
  const move = await current();
  if (move) await server.ok('POST', `/moves/${move.id}/put-away`);
};

async function prove(subnet = network): Promise<void> {
  await server.search(batch.id, `${subnet}.0/24`, port);
}

const whenSandbox = noSandbox() === null ? describe : describe.skip;

whenSandbox('a batch that moves', () => {
  beforeAll(async () => {
    server = await TestServer.start(network);
    const image = await server.shelve(baseImage);
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    const bench = await server.ok<ShelvedNetwork>('POST', '/networks', {
      network: { ...emptyNetwork('Saltmarsh Bench'), ssid: 'Saltmarsh Bench', subnet: `${network}.0/24` },
      secret: 'low tide at seven',
    });
    const made = tankPlan(4, image.id, network);
    batch = await server.batch({
      ...made,
      networks: [{ networkId: bench.id, priority: 10 }],
      bringUp: { ...made.bringUp, wanted: true, benchKey: true },
    });
    next = await server.ok('POST', '/networks', {
      network: { ...emptyNetwork('New hall'), ssid: 'New Hall', subnet: `${beyond}.0/24` },
      secret: passphrase,
    });
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
    await prove();
  });
  afterAll(() => server.end());
  afterEach(putAway);

  const air = (on: boolean, passphraseOfIt = passphrase): Promise<PracticeView> =>
    server.act({
      do: 'other-air',
      air: {
        on,
        ssid: 'New Hall',
        passphrase: passphraseOfIt,
        bands: ['2.4 GHz'],
        hidden: false,
        apart: false,
        clients: null,
        sleepsAfter: null,
      },
    });

  it('is one for a batch, is saved against a version, and says what is open and what is missing', async () => {
    expect(await current()).toBeNull();
    const move = await begun({ toId: null });
    expect(move.findings[0]).toMatchObject({ text: 'The networks of the move are not chosen yet.' });
    expect(await server.refused('POST', `/batches/${batch.id}/move`, { plan: plan() })).toMatchObject({
      code: 'move-exists',
    });
    expect(
      await server.refused('POST', `/moves/${move.id}/start`, {
        deviceIds: ids(),
        way: 'bench-key',
        version: move.version,
      }),
    ).toMatchObject({ code: 'move-not-ready' });
    const saved = await server.ok<Move>(
      'PUT',
      `/moves/${move.id}`,
      { plan: plan({ oldEnds: '2027-06-30', newBegins: '2027-07-05' }) },
      { 'If-Match': `"${String(move.version)}"` },
    );
    expect(saved.findings.map(({ text }) => text)).toEqual([
      'Between 2027-06-30 and 2027-07-05 there is no network.',
      expect.stringContaining('The plan of the batch does not have the new network yet') as string,
    ]);
    expect(saved.devices.map(({ chosen }) => chosen)).toEqual(Array(4).fill('over-old'));
    expect(saved.lost).toBe('After 2027-06-30 4 boards need their cards in a slot.');
    expect(
      await server.refused(
        'PUT',
        `/moves/${move.id}`,
        { plan: plan() },
        { 'If-Match': `"${String(move.version)}"` },
      ),
    ).toMatchObject({ code: 'move-changed' });
    // Nor is anything begun that somebody looked at before it was changed.
    expect(
      await server.refused('POST', `/moves/${move.id}/start`, {
        deviceIds: ids(),
        way: 'bench-key',
        version: move.version,
      }),
    ).toMatchObject({ code: 'move-changed' });
  });

  it('says before the trip that a hotspot has no room for all of them', async () => {
    const hotspot = await server.ok<ShelvedNetwork>('POST', '/networks', {
      network: { ...emptyNetwork('Hotspot'), ssid: 'Keeper', subnet: '192.168.43.0/24', clientLimit: 4 },
      secret: passphrase,
    });
    const texts = (move: Move): string[] => move.findings.map(({ text }) => text);
    const room = /takes 4 clients, this computer among them, and there are 4 boards\.$/;
    expect(texts(await begun({ toId: hotspot.id })).some((text) => room.test(text))).toBe(true);
    await putAway();
    expect(texts(await begun({ bridgeId: hotspot.id })).some((text) => room.test(text))).toBe(true);
    await putAway();
    // Whoever shares addresses with the old one cannot be told from it.
    const same = await server.ok<ShelvedNetwork>('POST', '/networks', {
      network: { ...emptyNetwork('Same'), ssid: 'Same', subnet: `${network}.0/25` },
      secret: passphrase,
    });
    expect(texts(await begun({ toId: same.id }))).toContain(
      `The old and the new network share addresses (${network}.0/24 and ${network}.0/25), so an address does not tell on which of them a board is.`,
    );
  });

  it('goes one board first, then in groups; one with a wrong key comes back by itself, and is told', async () => {
    await air(true);
    await server.act({ do: 'spoil', nest: 'A3', fault: 'mangles-key' });
    const move = await start(await begun());
    expect(move.running).toMatchObject({ of: 4 });
    // Two that press at once: the second one is refused.
    expect(
      await server.refused('POST', `/moves/${move.id}/start`, {
        deviceIds: ids(),
        way: 'bench-key',
        version: move.version,
      }),
    ).toMatchObject({ code: 'move-running' });
    const done = await ended();
    expect([0, 1, 2, 3].map((at) => stateOf(done, at))).toEqual(['moved', 'moved', 'came-back', 'moved']);
    expect(done.ended).toBe('1 board of 4 did not come over.');
    expect(await addresses()).toEqual([beyond, beyond, network, beyond]);
    const texts = (await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}&limit=50`)).map(
      ({ text }) => text,
    );
    expect(texts.filter((text) => /stays\.$/.test(text))).toHaveLength(3);
    expect(texts.some((text) => /tank-03: It went back by itself/.test(text))).toBe(true);
    expect(JSON.stringify(texts)).not.toContain(passphrase);
    // Mended, it comes over too.
    await server.act({ do: 'spoil', nest: 'A3', fault: null });
    await start(done, [ids()[2]!]);
    expect(stateOf(await ended(), 2)).toBe('moved');
    expect(await addresses()).toEqual([beyond, beyond, beyond, beyond]);
  });

  it('has the boards that came over forget the old network on request, and no others', async () => {
    // All are on the new one. A plan that has it still would not be theirs.
    const takeOff = (move: Move, deviceIds: string[], version = move.version): Promise<Move> =>
      server.ok('POST', `/moves/${move.id}/start`, {
        task: 'take-off',
        deviceIds,
        way: 'bench-key',
        version,
      });
    const fresh = await begun();
    expect(
      await server.refused('POST', `/moves/${fresh.id}/start`, {
        task: 'take-off',
        deviceIds: [ids()[3]!],
        way: 'bench-key',
        version: fresh.version,
      }),
    ).toMatchObject({
      code: 'move-not-ready',
      detail: expect.stringContaining('1 board of them did not come over yet.') as string,
    });
    await start(fresh, [ids()[3]!]);
    expect(stateOf(await ended(), 3)).toBe('moved');
    await takeOff(fresh, [ids()[3]!]);
    const done = await server.until(async () => {
      const move = await current();
      return move && move.running === null && stateOf(move, 3) !== 'moved' ? move : null;
    });
    expect(done.boards.find(({ deviceId }) => deviceId === ids()[3])).toMatchObject({
      state: 'alone',
      message: 'The old network is off it; the new one stays.',
    });
    expect(done.ended).toBe('1 board forgot the old network.');
    // It would be written onto cards again.
    const { plan: now, version } = await server.ok<Batch>('GET', `/batches/${batch.id}`);
    await server.ok(
      'PUT',
      `/batches/${batch.id}`,
      { plan: { ...now, networks: [{ networkId: next.id, priority: 25 }, ...now.networks] }, secrets: {} },
      { 'If-Match': `"${String(version)}"` },
    );
    expect((await current())?.findings.map(({ fix }) => fix)).toEqual(['out-of-plan']);
  });

  it('stops where the first board does not come over, and leaves the others where they are', async () => {
    // They are on the new network, which is the old one of this move; the bench’s own has another key now.
    await server.act({
      do: 'air',
      air: { on: true, ssid: 'Saltmarsh Bench', passphrase: 'neap tide at four', country: 'DK' },
    });
    await begun({ fromId: next.id, toId: batch.plan.networks[0]!.networkId });
    const move = (await current())!;
    await start(move);
    const done = await ended();
    expect(done.ended).toMatch(/^The first board did not come over, so the other 3 were not begun: /);
    expect(done.boards.map(({ state }) => state)).toEqual(['came-back']);
    expect(await addresses()).toEqual([beyond, beyond, beyond, beyond]);
  });

  long('goes on by itself after the program was stopped in the middle', async () => {
    await server.act({
      do: 'air',
      air: { on: true, ssid: 'Saltmarsh Bench', passphrase: 'low tide at seven', country: 'DK' },
    });
    const move = await begun({ fromId: next.id, toId: batch.plan.networks[0]!.networkId });
    await start(move);
    await server.until(async () =>
      (await current())?.boards.some(({ state }) => state === 'proving' || state === 'moved') ? true : null,
    );
    await server.restart();
    const done = await ended();
    // Practice boards start anew with the program: whoever had switched over and was not kept yet is back.
    const states = done.boards.map(({ state }) => state);
    expect(states.every((state) => state === 'moved' || state === 'came-back')).toBe(true);
    const back = ids().filter((_, at) => stateOf(done, at) !== 'moved');
    if (back.length > 0) {
      await prove(beyond);
      await start(done, back);
      expect((await ended()).boards.every(({ state }) => state === 'moved')).toBe(true);
    }
    expect(await addresses()).toEqual([network, network, network, network]);
  });

  it('refuses boards that are not proved, a network that is not known, and a key that changed after the order', async () => {
    const move = await begun();
    const refusal = (deviceIds: string[], way = 'bench-key'): Promise<{ code: string }> =>
      server.refused('POST', `/moves/${move.id}/start`, { deviceIds, way, version: move.version });
    expect(await refusal(['00000000-0000-4000-8000-000000000001'])).toMatchObject({ code: 'device-missing' });
    expect(await refusal(ids(), 'password')).toMatchObject({ code: 'way-missing' });
    expect(await server.refused('POST', `/moves/${move.id}/stop`)).toMatchObject({ code: 'move-ended' });
    const unseen = await server.batch({
      ...tankPlan(1, null, network),
      networks: batch.plan.networks,
      bringUp: batch.plan.bringUp,
    });
    const theirs = await server.ok<Move>('POST', `/batches/${unseen.id}/move`, { plan: plan() });
    expect(
      await server.refused('POST', `/moves/${theirs.id}/start`, {
        deviceIds: [unseen.plan.devices[0]!.id],
        way: 'bench-key',
        version: theirs.version,
      }),
    ).toMatchObject({ code: 'not-a-proved-board' });
    // The key is another one by the time the work begins.
    await server.knex.transaction((db) =>
      server.domains.runs.begin(
        {
          id: randomUUID(),
          kind: 'move',
          batchId: batch.id,
          begunBy: 'somebody',
          order: {
            moveId: move.id,
            way: 'bench-key',
            plan: move.plan,
            to: { id: next.id, version: next.version + 1, subnet: next.subnet },
            port,
          },
          items: ids().map((deviceId) => ({ subject: deviceId, deviceId, total: 1 })),
        },
        db,
      ),
    );
    const done = await ended();
    expect(done.ended).toBe('The new network was changed after the move was begun. Begin it anew.');
    expect(done.boards).toEqual([]);
    await putAway();
    expect(await refusal(ids())).toMatchObject({ code: 'move-missing' });
  });
});
