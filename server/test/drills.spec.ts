import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type {
  Batch,
  BatchProgress,
  CaseView,
  CheckId,
  DrillCause,
  PracticeView,
  Watch,
} from '@nest-mark/core';
import { DrillCauseSchema } from '@nest-mark/core/api';
import { baseImage, TestServer, tankPlan } from './helpers/server';

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

/** What of a sight is a yes, as a person reads it. */
const yes: Record<CheckId, RegExp> = {
  'same-network': /router that the access point is plugged into/,
  'power-light': /on, and steady/,
  'activity-light': /^It flicker/,
  'still-flickers': /without a pause/,
  'card-sits': /firmly/,
  'other-supply': /it starts/,
  'name-heard': /“Saltmarsh Bench”/,
  'name-spelt': /“Saltmarsh Bench”/,
  'key-tried': /joins\.$/,
  'band-sent': /2\.4 GHz/,
  'country-same': /DK/,
  'name-hidden': /not shown/,
  'addresses-free': /: (?!(\d+) of \1 )/,
  'router-lists': /tank-0/,
  'kept-apart': /may reach/,
  'label-read': /label says/,
  'card-check': /Nothing wrong/,
  'width-fits': /64 bit/,
  'other-board': /starts/,
};

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
  afterEach(async () => {
    await stopListening();
    // What a test that failed left hidden is none of the next one's.
    for (let { drill } = await practice(); drill; { drill } = await practice())
      await server.act({ do: 'endDrill' });
  });

  it.each(DrillCauseSchema.options)('%s is found by following the advice, and mended', async (cause) => {
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
        expect((await answer(one, look.check, yes[look.check].test(look.saw) ? 'yes' : 'no')).status).toBe(
          200,
        );
      } else throw new Error('the advice came to no end');
      one = await current();
    }
    const { drill } = await practice();
    console.log(
      `    ${cause}: ${asked.join(', ')}; ${String(drill!.minutes)} min${drill!.inVain.length > 0 ? `; in vain: ${drill!.inVain.join(', ')}` : ''}`,
    );
    expect(drill).toMatchObject({ outcome: 'found', cause });
    expect(asked.length).toBeLessThanOrEqual(9);
    expect(new Set(asked).size).toBe(asked.length);
    // Mended, everybody is there, and nothing of the drill is left on the bench.
    await allProved();
    expect(await cases()).toEqual([]);
    const state = JSON.parse(readFileSync(join(server.folder, 'practice/lab.json'), 'utf8')) as {
      boards: { fault: null }[];
    };
    expect(state.boards.every(({ fault }) => fault === null)).toBe(true);
    await server.act({ do: 'endDrill' });
  });
});
