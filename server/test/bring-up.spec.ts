import {
  kindOf,
  type Batch,
  type BoardTime,
  type BatchProgress,
  type BoardBringUp,
  type BringUp,
  type Passport,
  type PracticeView,
  type Proposal,
  type SystemFault,
} from '@nest-mark/core';
import { randomUUID } from 'node:crypto';
import { createServer, type AddressInfo } from 'node:net';
import { noSandbox } from '../../stand-in/src/board/sandbox';
import { baseImage, TestServer, tankPlan } from './helpers/server';
import { long } from '../../core/test/helpers/long';

/** Boards of the practice bench are brought up: their commands really run, in scratch roots. */

const network = '127.61.61';
const port = 2222;
let server: TestServer;
let batch: Batch;

const progress = (): Promise<BatchProgress> => server.ok('GET', `/batches/${batch.id}/progress`);
const view = (): Promise<BringUp> => server.ok('GET', `/batches/${batch.id}/bring-up`);
const deviceIds = (): string[] => batch.plan.devices.map(({ id }) => id);
const start = (ids = deviceIds()): Promise<BringUp> =>
  server.ok('POST', `/batches/${batch.id}/bring-up`, { deviceIds: ids, way: 'bench-key' });

/** Waits until nothing is under way. */
const ended = (): Promise<BringUp> =>
  server.until(async () => {
    const now = await view();
    return now.running.length === 0 && now.boards.length > 0 ? now : null;
  });
const boardOf = (now: BringUp, index: number): BoardBringUp =>
  now.boards.find(({ deviceId }) => deviceId === batch.plan.devices[index]!.id)!;
const states = ({ steps }: BoardBringUp): Record<string, string> =>
  Object.fromEntries(steps.map(({ stepId, state }) => [stepId, state]));

/** Waits until every practice board is on the network. */
const online = (): Promise<true> =>
  server.until(async () =>
    (await server.ok<PracticeView>('GET', '/practice')).boards.every(({ phase }) => phase === 'online')
      ? true
      : null,
  );

async function prove(): Promise<void> {
  await server.ok('POST', `/batches/${batch.id}/searches`, { subnet: `${network}.0/24`, port });
  await server.until(async () => {
    const { search, devices } = await progress();
    return search?.state === 'done' && devices.every(({ seen }) => seen?.standing === 'proved') ? true : null;
  });
}

const whenSandbox = noSandbox() === null ? describe : describe.skip;

whenSandbox('boards that are brought up', () => {
  beforeAll(async () => {
    server = await TestServer.start(network);
    const image = await server.shelve(baseImage);
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    batch = await server.batch(tankPlan(4, image.id, network));
    await server.act({ do: 'insertFresh' });
    await server.ended(batch.id, (await server.arm(batch.id)).id);
    await server.act({ do: 'seat', batchId: batch.id });
    await server.act({ do: 'powerAll', on: true });
    await server.ok('POST', `/batches/${batch.id}/powered`, { deviceIds: deviceIds() });
    await online();
    await prove();
  });
  afterAll(() => server.end());

  const nestOf = (index: number): string => batch.plan.devices[index]!.nest;
  const idOf = (index: number): string => deviceIds()[index]!;
  const spoil = (nest: string, fault: SystemFault | null): Promise<unknown> =>
    server.act({ do: 'spoil', nest, fault });

  it('are refused before they are proved, by a way that there is not, and at a step that there is not', async () => {
    const other = await server.batch(tankPlan(1, null, network));
    const refused = await server.refused('POST', `/batches/${other.id}/bring-up`, {
      deviceIds: [other.plan.devices[0]!.id],
      way: 'bench-key',
    });
    expect(refused.code).toBe('not-proved');
    const byPassword = await server.refused('POST', `/batches/${batch.id}/bring-up`, {
      deviceIds: deviceIds(),
      way: 'password',
    });
    expect(byPassword).toMatchObject({ code: 'way-missing' });
    const step = await server.refused('POST', `/batches/${batch.id}/bring-up/${idOf(0)}/skips`, {
      stepId: 'polish',
      reason: 'x',
    });
    expect(step.code).toBe('step-missing');
  });

  it('are refused where their packages are to come through this computer and nobody serves them', async () => {
    const closed = createServer();
    await new Promise<void>((resolve) => closed.listen(0, '127.0.0.1', resolve));
    const { port: packagePort } = closed.address() as AddressInfo;
    const plan = tankPlan(1, null, network);
    const other = await server.batch({ ...plan, bringUp: { ...plan.bringUp, benchKey: true, packagePort } });
    const body = { deviceIds: [other.plan.devices[0]!.id], way: 'bench-key' };
    // With somebody there it comes as far as the boards.
    expect((await server.refused('POST', `/batches/${other.id}/bring-up`, body)).code).toBe('not-proved');
    await new Promise((resolve) => closed.close(resolve));
    expect(await server.refused('POST', `/batches/${other.id}/bring-up`, body)).toMatchObject({
      code: 'packages-away',
      detail: expect.stringContaining(`port ${String(packagePort)}`) as string,
    });
  });

  it('go from proved to ready side by side, but for those with faults, each told rightly', async () => {
    await spoil(nestOf(1), 'broken-download');
    await spoil(nestOf(2), 'more-accounts');
    await spoil(nestOf(3), 'lock-held');
    // Before anything was seen the book says how long it will take: eight minutes of updates alone.
    expect((await start()).secondsLeft).toBeGreaterThan(400);
    const now = await ended();
    expect(now.secondsLeft).toBeNull();
    const all = deviceIds().map((_, index) => boardOf(now, index));
    expect(all.map(({ state }) => state)).toEqual(['ready', 'hand', 'hand', 'ready']);
    expect(all.map(({ message }) => message)).toEqual([
      '',
      expect.stringMatching(/^Updates: A package could not be fetched: /),
      'Is as planned: demo can log in by a password and is not in the plan.',
      '',
    ]);
    // What lies behind went on for those who need a look, but for what nothing could be mended after.
    expect(states(all[2]!)).toMatchObject({ updates: 'done', reboot: 'done', 'key-off': 'held' });
    expect(all.map(({ keyOff }) => keyOff)).toEqual([true, false, false, true]);
    const { devices } = await progress();
    expect(devices.map(({ bringUp }) => bringUp?.state)).toEqual(all.map(({ state }) => state));
  });

  it('teach how long such boards take: stand-ins about stand-ins, boards about boards, the newest of each kind', async () => {
    const { repository } = server.domains.bringUps;
    const kind = kindOf(batch.plan.boardProfileId, batch.plan.imageId);
    // Those that went through in one go; who needed a look teaches nothing.
    const [seen] = await repository.times(true);
    expect(seen).toMatchObject({ kind, updated: true });
    expect(seen!.seconds).toHaveLength(2);
    expect(await server.ok<BoardTime[]>('GET', '/board-times')).toEqual([]);
    const runId = randomUUID();
    await server
      .knex('run')
      .insert({ id: runId, kind: 'bring-up', station: 'test', batch_id: batch.id, state: 'done' });
    const took = (index: number, seconds: number, change = {}): Promise<void> =>
      repository.keepTime(
        { runId, deviceId: idOf(index), kind, updated: true, practice: false, seconds, ...change },
        server.knex,
      );
    await took(0, 500);
    await took(1, 300);
    // Noted twice it counts once.
    await took(1, 900);
    await took(2, 40, { updated: false });
    expect(await server.ok<BoardTime[]>('GET', '/board-times')).toEqual([
      { kind, updated: false, seconds: [40] },
      { kind, updated: true, seconds: [300, 500] },
    ]);
    await server.knex('run').where({ id: runId }).delete();
    expect(await server.ok<BoardTime[]>('GET', '/board-times')).toEqual([]);
  });

  it('have it in their passports, with the evidence of each step', async () => {
    const passport = await server.ok<Passport>('GET', `/batches/${batch.id}/devices/${idOf(1)}/passport`);
    expect(passport.broughtUp).toHaveLength(1);
    const [time] = passport.broughtUp;
    expect(time).toMatchObject({ state: 'hand', message: expect.stringMatching(/^Updates: /) as string });
    expect(time!.steps.map(({ title, state }) => [title, state])).toEqual(
      expect.arrayContaining([
        ['Clock right', 'well'],
        ['Updates', 'failed'],
        ['Bench key off', 'held'],
      ]),
    );
    const untouched = await server.batch(tankPlan(1, null, network));
    const empty = await server.ok<Passport>(
      'GET',
      `/batches/${untouched.id}/devices/${untouched.plan.devices[0]!.id}/passport`,
    );
    expect(empty.broughtUp).toEqual([]);
  });

  it('whose key was taken off stay ready: the bench does not try to get in again', async () => {
    const refused = await server.refused('POST', `/batches/${batch.id}/bring-up`, {
      deviceIds: [idOf(0)],
      way: 'bench-key',
    });
    expect(refused.code).toBe('key-off');
    expect(boardOf(await view(), 0).state).toBe('ready');
  });

  it('that were mended, or may stay as they are for a reason, become ready', async () => {
    await spoil(nestOf(1), null);
    await server.ok('POST', `/batches/${batch.id}/bring-up/${idOf(2)}/skips`, {
      stepId: 'as-planned',
      reason: 'the visitors’ account',
    });
    await start([idOf(1), idOf(2)]);
    const now = await ended();
    expect(boardOf(now, 1).state).toBe('ready');
    expect(boardOf(now, 2)).toMatchObject({ state: 'ready', keyOff: true });
    expect(states(boardOf(now, 2))['as-planned']).toBe('skipped');
    expect(now.skips).toEqual([{ deviceId: idOf(2), stepId: 'as-planned', reason: 'the visitors’ account' }]);
  });

  it('leave nothing of a secret in what is kept, told, or sent', async () => {
    const { domains } = server;
    const seed = await domains.plans.vault.get(batch.id, 'benchKeySeed');
    const rows = await server.knex('board_step').select();
    const log = await server.knex('log_entry').select();
    const events = await server.knex('event').select();
    const outputs = await Promise.all(
      deviceIds().map((id) => server.ok('GET', `/batches/${batch.id}/bring-up/${id}/output`)),
    );
    const told = JSON.stringify([rows, log, events, outputs, await view(), await progress()]);
    for (const secret of [seed!, 'PRIVATE KEY', 'low tide at seven', '$6$'])
      expect(told).not.toContain(secret);
  });

  long(
    'a card that is written anew begins its story anew: what was done to the system before counts no more',
    async () => {
      await server.ok('POST', `/batches/${batch.id}/bring-up/${idOf(0)}/skips`, {
        stepId: 'as-planned',
        reason: 'of the old system',
      });
      await server.act({ do: 'takeCard', nest: nestOf(0) });
      await server.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
      const { cards, at } = await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`);
      const { medium } = cards.find(({ slotId }) => slotId === 'slot-1')!;
      const round = await server.ok<{ id: string }>('POST', `/batches/${batch.id}/rounds`, {
        cards: [{ slotId: 'slot-1', deviceId: idOf(0), identity: medium!.identity }],
        confirm: 'erase 1',
        lookedAt: at,
      });
      await server.ended(batch.id, round.id);
      const { devices } = await progress();
      expect(devices[0]!.bringUp).toBeNull();
      expect((await view()).boards.map(({ deviceId }) => deviceId)).not.toContain(idOf(0));
      await server.act({ do: 'seat', batchId: batch.id });
      await server.act({ do: 'power', nest: nestOf(0), on: true });
      await online();
      await prove();
      // Its new system has the key again, whatever was taken off the one before; and no reason holds for it any more.
      await spoil(nestOf(0), 'broken-download');
      await start([idOf(0)]);
      const anew = boardOf(await ended(), 0);
      expect(anew).toMatchObject({ state: 'hand', keyOff: false });
      expect(states(anew)['as-planned']).toBe('well');
      await spoil(nestOf(0), null);
    },
  );

  long(
    'a program that is stopped in the middle goes on where each board is, and does nothing twice',
    async () => {
      const broughtUp = () =>
        server
          .knex('log_entry')
          .where({ batch_id: batch.id, kind: 'brought-up', device_id: idOf(0) })
          .select();
      const before = await broughtUp();
      await start([idOf(0)]);
      await server.until(async () => (states(boardOf(await view(), 0))['updates'] === 'doing' ? true : null));
      await server.restart();
      const now = await ended();
      expect(boardOf(now, 0)).toMatchObject({ state: 'ready', keyOff: true });
      expect(await broughtUp()).toHaveLength(before.length + 1);
      // A board that was taken up in the middle says nothing of how long one takes.
      const newest = server
        .knex('run')
        .where({ kind: 'bring-up' })
        .orderBy('queued_at', 'desc')
        .limit(1)
        .select('id');
      expect(await server.knex('board_time').whereIn('run_id', newest).select()).toEqual([]);
    },
  );
});
