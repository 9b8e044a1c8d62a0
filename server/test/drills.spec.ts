import { createHash } from 'node:crypto';
import { closeSync, openSync, readFileSync, readSync } from 'node:fs';
import { join } from 'node:path';
import type {
  Batch,
  BatchProgress,
  CaseView,
  CauseId,
  CheckId,
  DrillCause,
  PracticeView,
  Problem,
  Watch,
} from '@nest-mark/core';
import { DrillCauseSchema } from '@nest-mark/core/api';
import { saysYes } from '../../stand-in/test/helpers/sights';
import { baseImage, TestServer, tankPlan } from './helpers/server';
import { some } from '../../core/test/helpers/soak';

/** Drills on the practice bench: a fault is hidden, and found by following the advice and by what eyes see. */

const network = '127.61.53';
const port = 2222;
const devices = 4;
let server: TestServer;
let batch: Batch;

beforeAll(async () => {
  server = await TestServer.start(network);
  const image = await server.shelve(baseImage);
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  batch = await server.batch(tankPlan(devices, image.id, network));
  await server.act({ do: 'insertFresh' });
  await server.ended(batch.id, (await server.arm(batch.id)).id);
  await server.act({ do: 'seat', batchId: batch.id });
});
afterAll(() => server.end());

const progress = (): Promise<BatchProgress> => server.ok('GET', `/batches/${batch.id}/progress`);
const practice = (): Promise<PracticeView> => server.ok('GET', '/practice');
const cases = async (): Promise<CaseView[]> =>
  (await server.ok<{ cases: CaseView[] }>('GET', `/batches/${batch.id}/cases`)).cases;

async function listen(): Promise<void> {
  const { id } = await server.ok<Watch>('POST', `/batches/${batch.id}/watches`, {
    sources: ['multicast', 'address-request', 'neighbours'],
    places: ['practice'],
    port,
  });
  await server.until(async () => {
    const { watch } = await progress();
    return watch?.id === id && watch.state === 'running' && watch.sources.every(({ on }) => on) ? true : null;
  });
}

async function stopListening(): Promise<void> {
  const { watch } = await progress();
  if (watch && ['queued', 'running'].includes(watch.state))
    await server.call('POST', `/watches/${watch.id}/stop`);
  await server.until(async () => {
    const now = (await progress()).watch;
    return now && ['queued', 'running'].includes(now.state) ? null : true;
  });
}

const everywhere: readonly DrillCause[] = [
  'elsewhere',
  'network-off',
  'other-name',
  'other-key',
  'other-band',
  'other-country',
  'hidden',
  'kept-apart',
];

const symptoms: Partial<Record<DrillCause, string>> = {
  'no-address': 'It asks for an address again and again',
  'login-off': 'its login service does not answer',
  'other-card': 'signs with a key that is not its own',
};

/** Waits until everybody is there who can be, and gives the case of the others. */
const missing = (cause: DrillCause): Promise<CaseView> =>
  server.until(async () => {
    const [one, ...more] = await cases();
    const away = everywhere.includes(cause) ? devices : 1;
    const told = symptoms[cause] ?? '';
    return one?.devices.length === away && more.length === 0 && one.known.join(' ').includes(told)
      ? one
      : null;
  });

const answer = (one: CaseView, check: CheckId, said: 'yes' | 'no' | 'unsure') =>
  server.call('POST', `/batches/${batch.id}/cases/answers`, {
    deviceIds: one.devices.map(({ deviceId }) => deviceId),
    check,
    answer: said,
  });

async function current(): Promise<CaseView> {
  const [one] = await cases();
  if (!one) throw new Error('nobody is missing');
  return one;
}

const allProved = (): Promise<true> =>
  server.until(async () => {
    const { devices: all } = await progress();
    const since = all.every(
      ({ seen, poweredAt }) => seen?.standing === 'proved' && seen.at >= (poweredAt ?? 0),
    );
    return since ? true : null;
  });

describe('a drill', () => {
  const told: string[] = [];
  afterAll(() => console.log(`    looks, and mendings in vain: ${told.join(', ')}`));
  afterEach(async () => {
    await stopListening();
    // What a test that failed left hidden is none of the next one's.
    for (let { drill } = await practice(); drill; { drill } = await practice())
      await server.act({ do: 'endDrill' });
  });

  /** One of which the bench sees all, one of everybody, one that changes a card, one that is heard. */
  const standing: readonly DrillCause[] = ['not-seated', 'other-key', 'other-width', 'login-off'];
  it.each(some(DrillCauseSchema.options, (cause) => standing.includes(cause)))(
    '%s is found by following the advice, and mended',
    async (cause) => {
      // Who is there already would sign at once, and the listening would be over.
      await server.act({ do: 'powerAll', on: false });
      await listen();
      await server.act({ do: 'drill', batchId: batch.id, cause });
      let one = await missing(cause);
      expect(one.looked).toBe(true);
      expect(one.due).toBe(true);
      const asked: string[] = [];
      for (let steps = 0; steps < 20; steps++) {
        if (one.found !== null) {
          await server.act({ do: 'mend', cause: one.found });
          const { drill } = await practice();
          if (drill?.outcome === 'found') break;
        } else if (one.next) {
          const nest = one.devices[0]!.nest;
          await server.act({ do: 'look', check: one.next.check, nest });
          const { drill } = await practice();
          const look = drill!.looks.find(({ check }) => check === one.next!.check)!;
          asked.push(look.check);
          expect(
            (
              await answer(
                one,
                look.check,
                saysYes(look.check, look.saw, one.devices[0]!.hostName) ? 'yes' : 'no',
              )
            ).status,
          ).toBe(204);
        } else throw new Error('the advice came to no end');
        one = await current();
      }
      const { drill } = await practice();
      told.push(`${cause} ${String(asked.length + drill!.inVain.length)}`);
      expect(drill).toMatchObject({ outcome: 'found', cause });
      expect(asked.length).toBeLessThanOrEqual(9);
      expect(new Set(asked).size).toBe(asked.length);
      // Mended, everybody is there, and nothing of the drill is left on the bench.
      await allProved();
      const { watch } = await progress();
      const { seen } = (await progress()).devices.find(
        ({ deviceId }) => deviceId === one.devices[0]!.deviceId,
      )!;
      // Who listens is not told that all are there before each has signed since its power-on.
      if (watch?.state === 'done') expect(seen!.at).toBeGreaterThanOrEqual(watch.at);
      expect(await cases()).toEqual([]);
      const state = JSON.parse(readFileSync(join(server.folder, 'practice/lab.json'), 'utf8')) as {
        boards: { fault: string | null }[];
      };
      expect(state.boards.every(({ fault }) => fault === null)).toBe(true);
      await server.act({ do: 'endDrill' });
    },
  );

  it('of two that begin at once one hides its fault; what it hides is told nobody before it is over', async () => {
    const begin = (cause: DrillCause) =>
      server.call('POST', '/practice/actions', { do: 'drill', batchId: batch.id, cause });
    const both = await Promise.all([begin('weak-supply'), begin('not-powered')]);
    expect(both.map(({ status }) => status).sort()).toEqual([200, 409]);
    const text = JSON.stringify(await practice());
    expect(text).not.toMatch(/weak-supply|not-powered/);
    const { drill, boards } = await practice();
    expect(drill).toMatchObject({ outcome: 'open', cause: null, nest: null, way: null });
    expect(boards.map(({ phase, reason }) => `${phase} ${reason}`)).toEqual(Array(devices).fill('starting '));
  });

  it('that is given up is undone: a renamed file has its octets of before', async () => {
    const cards = join(server.folder, 'practice/cards');
    const digest = (): string[] =>
      ['card-01', 'card-02', 'card-03', 'card-04'].map((id) => {
        const head = Buffer.alloc(16 << 20);
        const file = openSync(join(cards, `${id}.img`), 'r');
        readSync(file, head, 0, head.length, 0);
        closeSync(file);
        return createHash('sha256').update(head).digest('hex');
      });
    const before = digest();
    await server.act({ do: 'drill', batchId: batch.id, cause: 'card-spoilt' });
    expect(digest().filter((one, at) => one !== before[at])).toHaveLength(1);
    await server.act({ do: 'endDrill' });
    expect(digest()).toEqual(before);
    const { drill } = await practice();
    expect(drill).toMatchObject({ outcome: 'given up', cause: 'card-spoilt' });
    await server.act({ do: 'endDrill' });
    expect((await practice()).drill).toBeNull();
  });

  it('needs boards with cards of the batch, and a board to look at', async () => {
    const other = await server.batch(tankPlan(2, batch.plan.imageId, network));
    const refused = await server.call<Problem>('POST', '/practice/actions', {
      do: 'drill',
      batchId: other.id,
      cause: null,
    });
    expect(refused.body.detail).toContain('at least two boards with written cards of this batch');
    const look = (): Promise<{ status: number; body: Problem }> =>
      server.call<Problem>('POST', '/practice/actions', { do: 'look', check: 'power-light', nest: 'J9' });
    expect((await look()).body.detail).toBe('No drill is under way. Begin one.');
    await server.act({ do: 'drill', batchId: batch.id, cause: null });
    expect((await look()).body.detail).toBe('There is no board of this batch in nest J9.');
  });

  it('leaves nothing behind: its answers are true of nothing else, and its mending is not learnt', async () => {
    await server.act({ do: 'powerAll', on: false });
    await listen();
    await server.act({ do: 'drill', batchId: batch.id, cause: 'not-seated' });
    const one = await missing('not-seated');
    await answer(one, 'card-sits', 'no');
    const [said] = await cases();
    expect(said?.said).toHaveLength(1);
    expect(said?.found).toBe('not-seated');
    await server.act({ do: 'mend', cause: 'not-seated' });
    await allProved();
    await server.act({ do: 'endDrill' });
    expect(await server.knex('fault_mend').select()).toEqual([]);
    // The same board is away in earnest, and nothing is said of it yet.
    await server.knex('sighting').del();
    expect((await cases()).flatMap((now) => now.said)).toEqual([]);
  });
});

describe('boards that do not appear', () => {
  const ids = (): string[] => batch.plan.devices.map(({ id }) => id);
  const power = (): Promise<unknown> =>
    server.ok('POST', `/batches/${batch.id}/powered`, { deviceIds: ids() });
  const mend = async (cause: CauseId, inVain: boolean): Promise<CaseView['mended']> => {
    await server.ok('POST', `/batches/${batch.id}/cases/mends`, { deviceIds: ids(), cause, inVain });
    return (await current()).mended;
  };

  beforeEach(async () => {
    await server.act({ do: 'powerAll', on: false });
    for (const table of ['sighting', 'fault_answer', 'fault_mend']) await server.knex(table).del();
    await power();
  });

  it('are one case; what was answered stands there, can be taken back, and lapses when it is no longer true', async () => {
    const one = await current();
    expect(one.devices).toHaveLength(devices);
    expect(one).toMatchObject({ due: false, looked: false, found: null, said: [], mended: [] });
    await answer(one, 'power-light', 'yes');
    await answer(one, 'same-network', 'unsure');
    await answer(one, 'power-light', 'no');
    const said = (await current()).said;
    expect(said.map(({ check, answer: was }) => [check, was])).toEqual([
      ['same-network', 'unsure'],
      ['power-light', 'no'],
    ]);
    expect(said[0]!.question).toContain('“Saltmarsh Bench”');
    // A board that is powered anew has lights of its own again; the network is the one that it was.
    await power();
    expect((await current()).said.map(({ check }) => check)).toEqual(['same-network']);
    const takeBack = () =>
      server.call('POST', `/batches/${batch.id}/cases/answers/take-back`, {
        deviceIds: ids(),
        check: 'same-network',
      });
    expect((await takeBack()).status).toBe(204);
    expect((await current()).said).toEqual([]);
    expect((await takeBack()).status).toBe(409);
    const log = await server.ok('GET', `/log?batchId=${batch.id}`);
    expect(JSON.stringify(log)).toContain(
      '4 boards not there: Is the power light of 4 boards on, and steady? no.',
    );
  });

  it('what was mended in vain is not said again; what helped is learnt', async () => {
    const place = async (): Promise<number> =>
      (await current()).causes.findIndex(({ id }) => id === 'hidden');
    const before = await place();
    expect(await mend('hidden', false)).toMatchObject([{ cause: 'hidden', inVain: false }]);
    expect(await mend('hidden', true)).toMatchObject([{ cause: 'hidden', inVain: true }]);
    expect(await place()).toBe(-1);
    expect(await server.knex('fault_mend').count()).toEqual([{ count: '1' }]);
    // Thirty times it was this, and the boards signed afterwards.
    await server.knex('fault_mend').del();
    for (let times = 0; times < 30; times++) await mend('hidden', false);
    expect(await server.domains.finding.faults.found()).toEqual(new Map());
    await server.act({ do: 'powerAll', on: true });
    await listen();
    await allProved();
    expect(await server.domains.finding.faults.found()).toEqual(new Map([['hidden', 30]]));
    await stopListening();
    // All of that is long ago; now they are away again.
    await server.act({ do: 'powerAll', on: false });
    await server.knex('fault_mend').update({ at: server.knex.raw("at - interval '1 hour'") });
    await server.knex('sighting').update({ at: server.knex.raw("at - interval '30 minutes'") });
    await power();
    expect(await place()).toBeLessThan(before);
  });

  it('of another batch, or that left the plan, are refused, and nothing is kept', async () => {
    const strange = await server.call<Problem>('POST', `/batches/${batch.id}/cases/answers`, {
      deviceIds: ['00000000-0000-4000-8000-000000000000'],
      check: 'power-light',
      answer: 'no',
    });
    expect(strange.body.code).toBe('case-changed');
    const nonsense = await server.call<Problem>('POST', `/batches/${batch.id}/cases/answers`, {
      deviceIds: ids(),
      check: 'phase-of-the-moon',
      answer: 'no',
    });
    expect(nonsense.status).toBe(422);
    expect(await server.knex('fault_answer').select()).toEqual([]);
  });

  it('answers that a later version wrote are passed over', async () => {
    await server.knex('fault_answer').insert({
      batch_id: batch.id,
      device_ids: ids(),
      check_id: 'tide-table',
      answer: 'yes',
      drill: false,
      by: 'somebody',
    });
    expect((await current()).said).toEqual([]);
  });
});
