import { execFileSync } from 'node:child_process';
import { closeSync, openSync, readSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  type ArmRound,
  type Batch,
  type BatchProgress,
  type StationSettings,
  type CardFaults,
  type PracticeView,
  type CardRecord,
  type LogEntry,
  type Proposal,
  type Round,
} from '@nest-mark/core';
import { knownKey } from '../src/cards/records';
import { baseImage, TestServer, tankPlan } from './helpers/server';
import { long } from '../../core/test/helpers/long';

const network = '127.61.12';
const raw = execFileSync('xz', ['-dc', baseImage], { maxBuffer: 1 << 28 });
/** The practice image with another octet in its root: a second image. */
const other = Buffer.from(raw);
const ODD = raw.length - (1 << 20);
other[ODD] = (other[ODD] ?? 0) ^ 0xff;

let server: TestServer;
let batch: Batch;
let otherId = '';
/** Where the root of the image begins, in octets. */
let rootAt = 0;

beforeAll(async () => {
  server = await TestServer.start(network);
  const image = await server.shelve(baseImage);
  rootAt = image.partitions.find(({ label }) => label === 'root')!.offset;
  const path = join(server.folder, 'other.img');
  writeFileSync(path, other);
  otherId = (await server.shelve(path, '', 'Other')).id;
  const plan = tankPlan(16, image.id, network);
  for (const device of plan.devices.slice(12)) device.overrides = { imageId: otherId };
  batch = await server.batch(plan);
});
afterAll(() => server.end());
beforeEach(() => pace(0));
afterEach(() => server.act({ do: 'pullIdle' }));

const pace = (slotRate: number) => server.act({ do: 'pace', bootSeconds: 0, slotRate });

function written(cardId: string): Buffer {
  const file = openSync(join(server.folder, 'practice/cards', `${cardId}.img`), 'r');
  const bytes = Buffer.alloc(raw.length);
  readSync(file, bytes, 0, bytes.length, 0);
  closeSync(file);
  return bytes;
}

const proposal = (): Promise<Proposal> => server.ok('GET', `/batches/${batch.id}/next-round`);
const progress = (): Promise<BatchProgress> => server.ok('GET', `/batches/${batch.id}/progress`);
const roundNow = async (id: string): Promise<Round> =>
  (await progress()).rounds.find((round) => round.id === id)!;

/** A request for devices of the batch by their numbers, in the slots as they come. */
async function request(...numbers: number[]): Promise<ArmRound> {
  const { cards, at } = await proposal();
  const full = cards.filter(({ medium }) => medium);
  return {
    cards: numbers.map((number, index) => ({
      slotId: full[index]!.slotId,
      deviceId: batch.plan.devices[number]!.id,
      identity: full[index]!.medium!.identity,
    })),
    confirm: `erase ${String(numbers.length)}`,
    lookedAt: at,
  };
}
const arm = async (...numbers: number[]): Promise<Round> =>
  server.ok('POST', `/batches/${batch.id}/rounds`, await request(...numbers));
const insert = async (...cards: string[]): Promise<void> => {
  for (const [index, cardId] of cards.entries())
    await server.act({ do: 'insert', cardId, slotId: `slot-${String(index + 1)}` });
};
const running = (id: string) =>
  server.until(async () => ((await roundNow(id)).cards.every(({ share }) => share > 0.02) ? true : null));

describe('a round', () => {
  it('of two images writes each card from its own', async () => {
    await insert('card-01', 'card-02');
    const round = await server.ended(batch.id, (await arm(0, 12)).id);
    expect(round.cards.map(({ state }) => state)).toEqual(['verified', 'verified']);
    const root = (bytes: Buffer): Buffer => bytes.subarray(rootAt);
    expect(root(raw).equals(root(other))).toBe(false);
    expect(root(written('card-01')).equals(root(raw))).toBe(true);
    expect(root(written('card-02')).equals(root(other))).toBe(true);
  });

  long('can be held and let go on; what was held teaches no rates', async () => {
    await pace(4e6);
    await insert('card-03');
    const { id } = await arm(1);
    await running(id);
    await server.ok('POST', `/rounds/${id}/pause`, { paused: true });
    expect((await roundNow(id)).paused).toBe(true);
    // The blocks that were under way still land; after them nothing does.
    let before = -1;
    const share = await server.until(async () => {
      const now = (await roundNow(id)).cards[0]!.share;
      const stands = now === before;
      before = now;
      await new Promise((resolve) => setTimeout(resolve, 2000));
      return stands ? now : null;
    });
    expect(share).toBeLessThan(1);
    expect((await roundNow(id)).cards[0]!.share).toBe(share);
    await server.ok('POST', `/rounds/${id}/pause`, { paused: false });
    expect((await server.ended(batch.id, id)).cards[0]!.state).toBe('verified');
    const [card] = (await server.ok<CardRecord[]>('GET', '/cards')).filter(({ key }) => key === 'p53a9');
    expect(card!.writings[0]).toMatchObject({ state: 'verified', writeRate: null, hostName: 'tank-02' });
    expect(await server.refused('POST', `/rounds/${id}/pause`, { paused: true })).toMatchObject({
      code: 'round-ended',
    });
  });

  long('goes on while one of its cards, which lost contact, is written again by itself', async () => {
    await pace(1.5e6);
    await server.act({
      do: 'cardFaults',
      cardId: 'card-05',
      faults: { ...(await faults('card-05')), losesContactAt: 9_000_000 },
    });
    await insert('card-04', 'card-05');
    const { id } = await arm(2, 3);
    await server.until(async () => ((await roundNow(id)).cards[1]!.state === 'failed' ? true : null));
    await server.act({ do: 'cardFaults', cardId: 'card-05', faults: await faults('card-01') });
    const slotIsBack = async (): Promise<true | null> => ((await proposal()).cards[1]!.medium ? true : null);
    await server.until(slotIsBack);
    const again = await server.ok<Round>('POST', `/rounds/${id}/resume`, {
      confirm: 'erase 1',
      lookedAt: Date.now(),
      media: await server.looked(batch.id),
      only: 'slot-2',
    });
    expect((await roundNow(id)).state).toBe('running');
    await pace(0);
    expect((await server.ended(batch.id, again.id)).cards.map(({ state }) => state)).toEqual(['verified']);
    expect((await server.ended(batch.id, id)).cards.map(({ state }) => state)).toEqual([
      'verified',
      'failed',
    ]);
  });
});

const faults = async (cardId: string): Promise<CardFaults> => {
  const { cards } = await server.ok<PracticeView>('GET', '/practice');
  return cards.find(({ id }) => id === cardId)!.faults;
};

describe('a card is left alone', () => {
  const refuse = (body: ArmRound) => server.refused('POST', `/batches/${batch.id}/rounds`, body);

  it('when it was looked at too long ago', async () => {
    await insert('card-06');
    const body = await request(4);
    expect(await refuse({ ...body, lookedAt: Date.now() - 11 * 60_000 })).toMatchObject({
      status: 409,
      code: 'look-again',
    });
  });

  it('when another station is writing it', async () => {
    await insert('card-06');
    const body = await request(4);
    const id = '22222222-2222-4222-8222-222222222222';
    await server.leaveRound(id, batch.id, body.cards, 'second-bench');
    const problem = await refuse(body);
    expect(problem).toMatchObject({ status: 409, code: 'slot-busy' });
    expect(problem.detail).toContain('in use at the station "second-bench"');
    expect((await proposal()).cards[0]!.refusal).toContain('second-bench');
    const { repository } = server.domains.runs;
    await repository.endItems(id, { state: 'interrupted', message: '' }, server.knex);
    await repository.end(id, 'interrupted', '', server.knex);
  });

  it('when its round was armed and did not begin in time: nothing is erased', async () => {
    await insert('card-06');
    const before = written('card-06');
    const body = await request(4);
    const id = '33333333-3333-4333-8333-333333333333';
    await server.leaveRound(id, batch.id, body.cards);
    await server.knex.raw(`update run set queued_at = now() - interval '3 minutes' where id = ?`, [id]);
    await server.domains.runs.perform('round', id);
    const round = await roundNow(id);
    expect(round.cards[0]!.state).toBe('failed');
    expect(round.cards[0]!.message).toContain('armed too long ago');
    expect(written('card-06').equals(before)).toBe(true);
  });

  it('when it was retired, until it is taken back into use', async () => {
    await insert('card-01');
    const set = (retired: boolean) => server.ok('PUT', '/cards/p51a7', { note: 'worn', retired });
    await set(true);
    const [slot] = (await proposal()).cards;
    expect(slot).toMatchObject({ deviceId: null, record: { note: 'worn', retired: true } });
    expect(await refuse(await request(0))).toMatchObject({ code: 'card-retired' });
    await set(false);
    expect((await proposal()).cards[0]!.refusal).toBeNull();
    expect(await server.refused('PUT', '/cards/nobody', { note: '', retired: true })).toMatchObject({
      status: 404,
    });
  });

  it('when it is larger than the bench allows, and only what makes sense can be set', async () => {
    await insert('card-06');
    const settings = await server.ok<StationSettings>('GET', '/settings/station');
    await server.ok('PUT', '/settings/station', { ...settings, largestGB: 8 });
    expect(await refuse(await request(4))).toMatchObject({ code: 'card-large' });
    expect(await server.refused('PUT', '/settings/station', { ...settings, largestGB: 0 })).toMatchObject({
      status: 422,
    });
    await server.ok('PUT', '/settings/station', settings);
  });

  it('by the proposal, when it gave back other data before', async () => {
    await server.act({
      do: 'cardFaults',
      cardId: 'card-bad',
      faults: { ...(await faults('card-bad')), wrongByteAt: 10_000_003 },
    });
    await insert('card-bad');
    const { id } = await arm(5);
    expect((await server.ended(batch.id, id)).cards[0]!.state).toBe('failed');
    const [slot] = (await proposal()).cards;
    expect(slot).toMatchObject({ deviceId: null, refusal: null });
    expect(slot!.record!.writings[0]).toMatchObject({ state: 'failed', fault: 'mismatch' });
  });
});

describe('a card’s record', () => {
  it('is found again without a serial number, by what was written to the card', async () => {
    await insert('card-07');
    await server.ended(batch.id, (await arm(6)).id);
    const medium = (await proposal()).cards[0]!.medium!;
    expect(medium.label).toMatchObject({ hostName: 'tank-07', mark: batch.plan.devices[6]!.mark });
    const bare = { ...medium, identity: { ...medium.identity, serial: '' } };
    expect(await knownKey(server.domains.cards, bare)).toBe(medium.identity.serial);
    expect(await knownKey(server.domains.cards, { ...bare, label: null })).toBeNull();
    const forged = { ...bare, label: { ...medium.label!, writing: "x' or true --" } };
    expect(await knownKey(server.domains.cards, forged)).toBeNull();
  });
});

describe('the capacity check of a card', () => {
  const wish = async (what: string, confirm = 'erase this card') => {
    const [slot] = (await proposal()).cards;
    return { slotId: slot!.slotId, identity: slot!.medium!.identity, confirm, what };
  };
  const ended = (key: string) =>
    server.until(async () => {
      const [card] = (await server.ok<CardRecord[]>('GET', '/cards')).filter((one) => one.key === key);
      return card?.capacity && card.capacity.state !== 'running' ? card : null;
    });

  it('finds a card that lies, restores what it really holds, and keeps its slot meanwhile', async () => {
    await insert('card-false');
    expect(await server.refused('POST', '/cards/capacity-check', await wish('check', 'yes'))).toMatchObject({
      status: 422,
      code: 'not-confirmed',
    });
    const order = await wish('check-and-restore');
    const card = await server.ok<CardRecord>('POST', '/cards/capacity-check', order);
    expect(await server.refused('POST', '/cards/capacity-check', order)).toMatchObject({ code: 'slot-busy' });
    expect((await proposal()).cards[0]!.refusal).toContain('being checked');
    const { capacity } = await ended(card.key);
    expect(capacity).toMatchObject({ state: 'lies', realSize: 8 * 2 ** 30 });
    expect(capacity!.text).toContain('It says 64 GB (59.6 GiB) and holds about 8.59 GB (8 GiB)');
    const [slot] = (await proposal()).cards;
    expect(slot).toMatchObject({ deviceId: null, refusal: null });
    expect(slot!.medium!.holds).toContain('1 partition (fat32');
    const [entry] = (await server.ok<LogEntry[]>('GET', '/log?limit=5')).filter(
      ({ kind }) => kind === 'capacity-lies',
    );
    expect(entry!.text).toContain('The card was looked through');
  });

  it('can be stopped, and a card that is pulled says so', async () => {
    await pace(3e6);
    await insert('card-08');
    const { key } = await server.ok<CardRecord>('POST', '/cards/capacity-check', await wish('check'));
    await server.checking(key);
    await server.ok('POST', `/cards/${key}/stop`);
    expect((await ended(key)).capacity).toMatchObject({ state: 'failed' });
    const next = await server.ok<CardRecord>('POST', '/cards/capacity-check', await wish('check'));
    await server.checking(next.key);
    await server.act({ do: 'pull', slotId: 'slot-1' });
    // Pulled while it is used, or while it is being opened.
    expect((await ended(next.key)).capacity!.text).toMatch(/pulled out|no card in the slot any more/);
  });
});
