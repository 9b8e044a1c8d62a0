import type { Batch, BatchProgress, BoardBringUp, BringUp, PracticeAction } from '@nest-mark/core';
import { noSandbox } from '../../stand-in/src/board/sandbox';
import { baseImage, TestServer, tankPlan } from './helpers/server';

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
    await server.until(async () =>
      (await server.ok<{ boards: { phase: string }[] }>('GET', '/practice')).boards.every(
        ({ phase }) => phase === 'online',
      )
        ? true
        : null,
    );
    await prove();
  });
  afterAll(() => server.end());

  it('go from proved to ready side by side, but for those with faults, each told rightly', async () => {
    const nests = batch.plan.devices.map(({ nest }) => nest);
    const spoil = (
      nest: string,
      fault: Extract<PracticeAction, { do: 'spoil' }>['fault'],
    ): Promise<unknown> => server.act({ do: 'spoil', nest, fault });
    await spoil(nests[1]!, 'broken-download');
    await spoil(nests[2]!, 'more-accounts');
    await spoil(nests[3]!, 'lock-held');
    await start();
    const now = await ended();
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
});
