import { execFileSync } from 'node:child_process';
import { closeSync, openSync, readSync } from 'node:fs';
import { join } from 'node:path';
import type {
  ArmRound,
  Batch,
  BatchProgress,
  CardRecord,
  LogEntry,
  Plan,
  Proposal,
  Round,
} from '@nest-mark/core';
import { baseImage, TestServer, tankPlan } from './helpers/server';

/** What a person confirmed is what is written, onto the very card that was looked at, and what is said of it is so. */

const network = '127.61.21';
let server: TestServer;
let batch: Batch;

beforeAll(async () => {
  server = await TestServer.start(network);
  const image = await server.shelve(baseImage);
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  batch = await server.batch(tankPlan(12, image.id, network));
});
afterAll(() => server.end());
afterEach(async () => {
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  await server.act({ do: 'serials', told: true });
  await server.act({ do: 'pullIdle' });
});

const cardFile = (cardId: string): string => join(server.folder, 'practice/cards', `${cardId}.img`);
function head(cardId: string, length = 8 << 20): Buffer {
  const file = openSync(cardFile(cardId), 'r');
  const bytes = Buffer.alloc(length);
  readSync(file, bytes, 0, length, 0);
  closeSync(file);
  return bytes;
}
const onCard = (cardId: string, name: string): string =>
  execFileSync('mtype', ['-i', `${cardFile(cardId)}@@${String(1 << 20)}`, `::${name}`], { encoding: 'utf8' });

const proposal = (): Promise<Proposal> => server.ok('GET', `/batches/${batch.id}/next-round`);
const progress = (): Promise<BatchProgress> => server.ok('GET', `/batches/${batch.id}/progress`);
const insert = (cardId: string, slotId = 'slot-1') => server.act({ do: 'insert', cardId, slotId });
const refuse = (body: ArmRound) => server.refused('POST', `/batches/${batch.id}/rounds`, body);
const save = async (change: (plan: Plan) => Plan): Promise<Batch> => {
  const now = await server.ok<Batch>('GET', `/batches/${batch.id}`);
  return server.ok<Batch>(
    'PUT',
    `/batches/${batch.id}`,
    { plan: change(now.plan), secrets: {} },
    { 'If-Match': `"${String(now.version)}"` },
  );
};

/** A request for the card of a slot and a device. */
async function request(device: number, slotId = 'slot-1', change: Partial<ArmRound> = {}): Promise<ArmRound> {
  const medium = (await proposal()).cards.find((card) => card.slotId === slotId)!.medium!;
  return {
    cards: [{ slotId, deviceId: batch.plan.devices[device]!.id, identity: medium.identity }],
    confirm: 'erase 1',
    lookedAt: Date.now(),
    ...change,
  };
}
const write = async (device: number, slotId = 'slot-1'): Promise<Round> => {
  const round = await server.ok<Round>('POST', `/batches/${batch.id}/rounds`, await request(device, slotId));
  return server.ended(batch.id, round.id);
};
const cardOf = async (device: number): Promise<string | undefined> =>
  (await progress()).devices[device]!.card?.state;

describe('the card that is erased is the one that was looked at', () => {
  it('a card of the same size put in place of the blank is told as another one, and nothing is erased', async () => {
    await server.act({ do: 'serials', told: false });
    await insert('card-01');
    await write(0);
    await server.act({ do: 'pull', slotId: 'slot-1' });
    await insert('card-02');
    const look = await request(1);
    expect((await proposal()).cards[0]).toMatchObject({ verifiedFor: null, record: null });
    await server.act({ do: 'pull', slotId: 'slot-1' });
    await insert('card-01');
    const before = head('card-01');
    const problem = await refuse(look);
    expect(problem).toMatchObject({ status: 409, code: 'card-changed' });
    expect(problem.detail).toContain('it holds the card of tank-01');
    expect(head('card-01').equals(before)).toBe(true);
    expect((await proposal()).cards[0]).toMatchObject({
      deviceId: null,
      verifiedFor: { hostName: 'tank-01' },
    });
  });

  it('a verified card and another verified card of the same image are told apart by their marks', async () => {
    await server.act({ do: 'serials', told: false });
    await insert('card-02');
    await write(1);
    const look = await request(2);
    await server.act({ do: 'pull', slotId: 'slot-1' });
    await insert('card-01');
    expect(await refuse(look)).toMatchObject({ code: 'card-changed' });
    expect(JSON.parse(onCard('card-01', 'nest-mark.json'))).toMatchObject({ hostName: 'tank-01' });
  });

  it('a blank put in place of a verified card is not shown as that device’s card', async () => {
    await server.act({ do: 'serials', told: false });
    await insert('card-02');
    expect((await proposal()).cards[0]!.verifiedFor).toMatchObject({ hostName: 'tank-02' });
    await server.act({ do: 'pull', slotId: 'slot-1' });
    await insert('card-03');
    expect((await proposal()).cards[0]).toMatchObject({ verifiedFor: null, record: null });
  });

  it('two cards behind one reader have records of their own', async () => {
    await server.act({ do: 'serials', told: false });
    await insert('card-03', 'slot-1');
    await insert('card-04', 'slot-2');
    const [first, second] = [await request(2, 'slot-1'), await request(3, 'slot-2')];
    const round = await server.ok<Round>('POST', `/batches/${batch.id}/rounds`, {
      ...first,
      cards: [...first.cards, ...second.cards],
      confirm: 'erase 2',
    });
    const { cards } = await server.ended(batch.id, round.id);
    expect(new Set(cards.map(({ cardKey }) => cardKey)).size).toBe(2);
    expect((await proposal()).cards.slice(0, 2).map(({ verifiedFor }) => verifiedFor?.hostName)).toEqual([
      'tank-03',
      'tank-04',
    ]);
  });

  it('a look that lies in the future is none', async () => {
    await insert('card-05');
    const body = await request(4, 'slot-1', { lookedAt: Date.now() + 60_000 });
    expect(await refuse(body)).toMatchObject({ status: 422, code: 'look-ahead' });
  });

  it('a disk with somebody’s back-up is refused for what it holds, and written only after its sentence was typed', async () => {
    const settings = await server.ok<object>('GET', '/settings/station');
    await server.ok('PUT', '/settings/station', { ...settings, largestGB: 4000 });
    await insert('backup-disk');
    const [slot] = (await proposal()).cards;
    expect(slot).toMatchObject({ deviceId: null });
    expect(slot!.refusal).toMatch(/names itself a copy of files \("Backup of the workbench"\)/);
    const body = await request(4);
    expect(await refuse(body)).toMatchObject({ code: 'card-holds' });
    const wrong = { ...body, cards: [{ ...body.cards[0]!, overrule: 'erase it' }] };
    expect(await refuse(wrong)).toMatchObject({ code: 'card-holds' });
    const prove = {
      slotId: 'slot-1',
      identity: body.cards[0]!.identity,
      confirm: 'erase this card',
      what: 'check',
    };
    expect(await server.refused('POST', '/cards/capacity-check', prove)).toMatchObject({
      code: 'card-holds',
    });
    const right = { ...body, cards: [{ ...body.cards[0]!, overrule: slot!.overruledBy! }] };
    const round = await server.ok<Round>('POST', `/batches/${batch.id}/rounds`, right);
    expect((await server.ended(batch.id, round.id)).cards[0]!.state).toBe('verified');
    const log = await server.ok<LogEntry[]>('GET', '/log?limit=20');
    expect(log.find(({ kind }) => kind === 'armed')!.text).toContain('It was overruled that');
    await server.ok('PUT', '/settings/station', settings);
  });
});

describe('what was armed is what is written', () => {
  it('a plan that is changed after arming changes nothing of it, and the record keeps the digest of what was written', async () => {
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 3e6 });
    await insert('card-06');
    const body = await request(5);
    const armed = await server.ok<Round>('POST', `/batches/${batch.id}/rounds`, body);
    await save((plan) => ({
      ...plan,
      country: '',
      access: { ...plan.access, userName: 'root' },
      devices: plan.devices.map((device, at) => (at === 5 ? { ...device, hostName: 'tank 06!' } : device)),
    }));
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    const round = await server.ended(batch.id, armed.id);
    expect(round.cards[0]!.state).toBe('verified');
    expect(onCard('card-06', 'user-data')).toContain('hostname: tank-06\n');
    expect(onCard('card-06', 'user-data')).not.toContain('name: root');
    const [row] = await server.knex('round_card').where({ round_id: round.id });
    expect(row).toMatchObject({ written_sha256: expect.stringMatching(/^[0-9a-f]{64}$/), past_cache: true });
    await save((plan) => ({
      ...plan,
      country: 'DK',
      access: { ...plan.access, userName: 'keeper' },
      devices: batch.plan.devices,
    }));
  });

  it('secrets that were sealed for a round are forgotten with its end', async () => {
    await insert('card-06');
    const round = await write(5);
    const rows = await server.knex('secret').where({ owner_id: round.id });
    expect(rows).toEqual([]);
  });

  it('an image is not taken off the shelf while it is written', async () => {
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 2e6 });
    await insert('card-06');
    const armed = await server.ok<Round>('POST', `/batches/${batch.id}/rounds`, await request(5));
    const problem = await server.refused('DELETE', `/images/${batch.plan.imageId!}`);
    expect(problem).toMatchObject({ status: 409, code: 'image-in-use' });
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    await server.ended(batch.id, armed.id);
  });

  it('one device is not in two slots at once, nor twice in two rounds that are armed at one moment', async () => {
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 2e6 });
    await insert('card-07', 'slot-1');
    await insert('card-08', 'slot-2');
    const [one, two] = [await request(6, 'slot-1'), await request(6, 'slot-2')];
    const answers = await Promise.all(
      [one, two].map((body) =>
        server.call<Round & { code: string }>('POST', `/batches/${batch.id}/rounds`, body),
      ),
    );
    const good = answers.filter(({ status }) => status === 201);
    expect(good).toHaveLength(1);
    expect(answers.find(({ status }) => status !== 201)!.body.code).toBe('device-busy');
    expect(await refuse(two)).toMatchObject({ code: expect.stringMatching(/device-busy|slot-busy/) });
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    await server.ended(batch.id, good[0]!.body.id);
  });
});

describe('what a card is follows from what happened to it last', () => {
  it('a card that was written for another device, proved, emptied or cleared elsewhere is nobody’s any more', async () => {
    await insert('card-09');
    await write(7);
    expect(await cardOf(7)).toBe('verified');
    await write(8);
    expect([await cardOf(7), await cardOf(8)]).toEqual(['lost', 'verified']);
    const medium = (await proposal()).cards[0]!.medium!;
    await server.ok('POST', '/cards/capacity-check', {
      slotId: 'slot-1',
      identity: medium.identity,
      confirm: 'erase this card',
      what: 'restore',
    });
    await server.until(async () => {
      const cards = await server.ok<CardRecord[]>('GET', '/cards');
      return cards.some(({ capacity }) => capacity?.state === 'running') ? null : true;
    });
    expect(await cardOf(8)).toBe('lost');
    expect((await proposal()).cards[0]).toMatchObject({ verifiedFor: null });
    await write(8);
    await server.act({ do: 'pull', slotId: 'slot-1' });
    // Somebody put other things onto it on another computer.
    // Where nothing was written the file has holes; copied as octets they would be 16 GB.
    execFileSync('cp', ['--sparse=always', cardFile('card-16'), cardFile('card-09')]);
    await insert('card-16', 'slot-2');
    await insert('card-09', 'slot-1');
    expect((await proposal()).cards[0]).toMatchObject({ verifiedFor: null });
    await server.until(async () => ((await cardOf(8)) === 'lost' ? true : null));
    const log = await server.ok<LogEntry[]>('GET', '/log?limit=10');
    expect(log.find(({ kind }) => kind === 'card-changed')!.text).toContain('verified card of tank-09');
  });

  it('a card keeps its device’s name after that left the plan, and bears no other one’s', async () => {
    await insert('card-10');
    await write(9);
    await write(10);
    await save((plan) => ({ ...plan, devices: plan.devices.filter((_device, at) => at !== 10) }));
    expect((await proposal()).cards[0]!.verifiedFor).toMatchObject({ hostName: 'tank-11' });
    await save((plan) => ({ ...plan, devices: batch.plan.devices }));
  });

  it('a second card of a device still counts when the first one is used for something else', async () => {
    await insert('card-11', 'slot-1');
    await write(11, 'slot-1');
    await insert('card-12', 'slot-2');
    await write(11, 'slot-2');
    await write(10, 'slot-2');
    expect(await cardOf(11)).toBe('verified');
  });
});
