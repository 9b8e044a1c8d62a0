import { randomUUID } from 'node:crypto';
import { copyFileSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  emptyNetwork,
  type Batch,
  type BatchProgress,
  type Image,
  type Proposal,
  type Round,
} from '@nest-mark/core';
import { amount } from '../../core/test/helpers/soak';
import { addJob } from '../src/platform/queue/job-repository';
import { EventReader } from './helpers/event-stream';
import { StationProcess } from './helpers/station-process';
import { begin, forget, stand } from './helpers/sending';
import { baseImage, TestServer, tankPlan } from './helpers/server';

/**
 * Stations as processes of their own on one database. The server of the test itself is a third one, which has nothing to
 * do and only looks.
 */

/** An even number. */
const JOBS = amount('two-processes', 100, 1000, 0).runs;
let server: TestServer;
let batch: Batch;
const folders: string[] = [];
const stations = new Map<string, StationProcess>();
const places = { one: '127.61.41', two: '127.61.42' };

async function start(station: keyof typeof places, folder: string): Promise<StationProcess> {
  const { databaseUrl } = server;
  const process = await StationProcess.start({
    databaseUrl,
    dataFolder: folder,
    station,
    practiceNetwork: places[station],
  });
  stations.set(station, process);
  return process;
}

function newFolder(): string {
  const folder = mkdtempSync(join(tmpdir(), 'nest-mark-process-'));
  folders.push(folder);
  // Stations that share secrets have the same key file.
  copyFileSync(join(server.folder, 'secret.key'), join(folder, 'secret.key'));
  return folder;
}

let one: StationProcess;
let two: StationProcess;
let folderOfOne: string;

beforeAll(async () => {
  server = await TestServer.start('127.61.40');
  folderOfOne = newFolder();
  one = await start('one', folderOfOne);
  two = await start('two', newFolder());
  const images: Image[] = [];
  for (const station of [one, two]) {
    const { id } = await station.ok<Image>('POST', '/images', { path: baseImage, title: 'here', sha256: '' });
    images.push(
      await server.until(async () => {
        const all = await station.ok<Image[]>('GET', '/images');
        return all.find((image) => image.id === id && image.state === 'ready') ?? null;
      }),
    );
  }
  batch = await server.batch(tankPlan(6, images[0]!.id, '127.61.40'));
});
afterAll(async () => {
  for (const station of stations.values()) await station.stop();
  await server.end();
  for (const folder of folders) rmSync(folder, { recursive: true, force: true });
});

const pace = (station: StationProcess, slotRate: number): Promise<unknown> =>
  station.ok('POST', '/practice/actions', { do: 'pace', bootSeconds: 0, slotRate });

/** Arms one card of a station for one device. */
async function arm(station: StationProcess, cardId: string, device: number): Promise<Round> {
  await station.ok('POST', '/practice/actions', { do: 'insert', cardId, slotId: 'slot-1' });
  const { cards, at } = await station.ok<Proposal>('GET', `/batches/${batch.id}/next-round`);
  return station.ok('POST', `/batches/${batch.id}/rounds`, {
    cards: [
      { slotId: 'slot-1', deviceId: batch.plan.devices[device]!.id, identity: cards[0]!.medium!.identity },
    ],
    confirm: 'erase 1',
    lookedAt: at,
  });
}

const roundNow = async (id: string): Promise<Round> =>
  (await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`)).rounds.find(
    (round) => round.id === id,
  )!;

const cardIs = (id: string, state: string): Promise<true> =>
  server.until(async () => ((await roundNow(id)).cards[0]!.state === state ? true : null));

it('a station that is killed in the middle of a round takes up its own work and harms nothing of the other', async () => {
  await pace(one, 1e6);
  // So slow that it still writes when the other one has started again, however long that takes.
  await pace(two, 0.5e6);
  const mine = await arm(one, 'card-01', 0);
  const theirs = await arm(two, 'card-02', 1);
  await cardIs(mine.id, 'writing');
  await cardIs(theirs.id, 'writing');
  await one.kill();
  // Nobody else touches what the dead one left: not its round, and not its card, which is still called in use.
  expect(await roundNow(mine.id)).toMatchObject({ state: 'running', station: 'one' });
  const { rows } = await server.knex.raw<{ rows: unknown[] }>(
    `select subject from run_item where run_id = ? and state = 'running'`,
    [mine.id],
  );
  expect(rows).toHaveLength(1);
  one = await start('one', folderOfOne);
  const left = await roundNow(mine.id);
  expect(left).toMatchObject({ state: 'interrupted', cards: [{ state: 'unfinished' }] });
  // How far it has come by then is up to the machine.
  const other = await roundNow(theirs.id);
  expect(other.state).toBe('running');
  expect(['writing', 'verifying']).toContain(other.cards[0]!.state);
  await pace(two, 0);
  const ended = await server.ended(batch.id, theirs.id);
  expect(ended.cards[0]!.state).toBe('verified');
  // Each was begun once, by its own station.
  const runs = await server.knex('run').whereIn('id', [mine.id, theirs.id]).select('station', 'attempts');
  expect(runs).toEqual(
    expect.arrayContaining([
      { station: 'one', attempts: 1 },
      { station: 'two', attempts: 1 },
    ]),
  );
  for (const station of [one, two]) {
    await pace(station, 0);
    await station.ok('POST', '/practice/actions', { do: 'pullIdle' });
  }
});

it('a file that is being sent to one station is not taken for one that the other has', async () => {
  const wish = { filename: 'same.img.xz', size: 1000, modified: 1 };
  const first = await begin(one, wish);
  const second = await begin(two, wish);
  expect(second).not.toBe(first);
  expect(await begin(one, wish)).toBe(first);
  expect((await two.ok<{ id: string }[]>('GET', '/uploads')).map(({ id }) => id)).toEqual([second]);
  expect(await stand(two, first)).toBe(404);
  await forget(one, first);
  await forget(two, second);
});

it('a round is held, let go on and cancelled from another station', async () => {
  await pace(one, 1e6);
  const { id } = await arm(one, 'card-03', 2);
  await cardIs(id, 'writing');
  await two.ok('POST', `/rounds/${id}/pause`, { paused: true });
  await server.until(async () => ((await roundNow(id)).paused ? true : null));
  await two.ok('POST', `/rounds/${id}/pause`, { paused: false });
  await server.until(async () => ((await roundNow(id)).paused ? null : true));
  await two.ok('POST', `/rounds/${id}/cancel`);
  expect((await server.ended(batch.id, id)).state).toBe('cancelled');
  await pace(one, 0);
  await one.ok('POST', '/practice/actions', { do: 'pullIdle' });
});

it('events reach the browsers of every station, in one order, and a browser that was cut off misses none', async () => {
  const here = await EventReader.open(one.url);
  const there = await EventReader.open(two.url);
  const names = (reader: EventReader): number[] => reader.got.flatMap(({ id }) => (id === null ? [] : [id]));
  const both = (least: number): Promise<true> =>
    server.until(() =>
      Promise.resolve(names(here).length >= least && names(there).length >= least ? true : null),
    );
  for (let nth = 0; nth < 5; nth++) await one.ok('POST', '/networks', network(nth));
  await both(5);
  there.close();
  const before = there.got.length;
  for (let nth = 5; nth < 20; nth++) await (nth % 2 === 0 ? one : two).ok('POST', '/networks', network(nth));
  const back = await EventReader.open(two.url, there.last);
  for (let nth = 20; nth < 25; nth++) await one.ok('POST', '/networks', network(nth));
  const { newest } = await server.domains.platform.events.repository.bounds();
  await server.until(() =>
    Promise.resolve(names(here).includes(newest) && names(back).includes(newest) ? true : null),
  );
  // What something else has told since reaches one of them sooner than the other.
  const untilThen = (reader: EventReader): number[] => names(reader).filter((id) => id <= newest);
  const seen = [...names(there).slice(0, before), ...untilThen(back)];
  // Something may have been told between the openings of the two.
  expect(seen).toEqual(untilThen(here).filter((id) => id >= (seen[0] ?? 0)));
  expect(seen.length).toBeGreaterThanOrEqual(5);
  expect(new Set(seen).size).toBe(seen.length);
  expect([...seen].sort((a, b) => a - b)).toEqual(seen);
  expect(back.startOvers).toBe(0);
  // One that was away for longer than events are kept reads everything anew.
  const late = await EventReader.open(two.url, '999999999');
  await server.until(() => Promise.resolve(late.startOvers === 1 ? true : null));
  for (const reader of [here, back, late]) reader.close();
});

const network = (nth: number): object => ({
  network: {
    ...emptyNetwork(`Net ${String(nth)}`),
    ssid: `net-${String(nth)}`,
    security: 'open',
    country: 'DK',
  },
});

it(`of ${String(JOBS)} jobs for two stations none is done by the wrong one, and each once`, async () => {
  const ids = Array.from({ length: JOBS }, () => randomUUID());
  const { repository } = server.domains.runs;
  await server.knex.transaction(async (db) => {
    for (const [at, id] of ids.entries()) {
      const station = at % 2 === 0 ? 'one' : 'two';
      // Of images that are not there: nothing is to be read, so each is done at once.
      const items = [{ subject: randomUUID() }];
      await repository.create({ id, kind: 'image-reading', begunBy: 'a test', items }, station, db);
      await addJob(db, station, 'image-reading', id);
      // And once more, by mistake, for the other one.
      if (at % 10 === 0) await addWrong(db, station === 'one' ? 'two' : 'one', id);
    }
  });
  await server.until(async () => {
    const open = await server.knex('run').whereIn('id', ids).whereNot('state', 'done').count();
    return Number(open[0]!['count']) === 0 ? true : null;
  });
  const { rows } = await server.knex.raw<{ rows: unknown[] }>(
    `select station, attempts, count(*)::int from run where id = any (?) group by station, attempts order by station`,
    [ids],
  );
  expect(rows).toEqual([
    { station: 'one', attempts: 1, count: JOBS / 2 },
    { station: 'two', attempts: 1, count: JOBS / 2 },
  ]);
});

/** A job that names a run of another station; `job_key` would replace the right one. */
const addWrong = (db: TestServer['knex'], station: string, runId: string): Promise<unknown> =>
  db.raw(`select graphile_worker.add_job(?, ?::json, max_attempts => 1)`, [
    `image-reading@${station}`,
    JSON.stringify({ runId }),
  ]);
