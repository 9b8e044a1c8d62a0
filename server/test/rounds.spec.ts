import { createHash } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import { closeSync, openSync, readSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { ArmRound, Batch, BatchProgress, LogEntry, Proposal, Round } from '@nest-mark/core';
import { DirectFile } from '@nest-mark/station';
import { demoImage, TestServer, tankPlan } from './helpers/server';

const network = '127.61.4';
const bootOffset = 1 << 20;
const bootSize = 48 << 20;
const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin` };
const raw = execFileSync('xz', ['-dc', demoImage], { maxBuffer: 1 << 28 });

let server: TestServer;
let batch: Batch;

beforeAll(async () => {
  server = await TestServer.start(network);
  const image = await server.shelve(demoImage);
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  batch = await server.batch(tankPlan(12, image.id, network));
});
afterAll(() => server.end());
afterEach(() => server.act({ do: 'pullIdle' }));

const cardFile = (cardId: string): string => join(server.folder, 'practice/cards', `${cardId}.img`);

/** The first octets of a card, as long as the image. */
function written(cardId: string): Buffer {
  const file = openSync(cardFile(cardId), 'r');
  const bytes = Buffer.alloc(raw.length);
  readSync(file, bytes, 0, bytes.length, 0);
  closeSync(file);
  return bytes;
}

/** Whether octets are all zero; compared as a whole, since a loop over a card would hold the server up. */
const isEmpty = (bytes: Buffer): boolean => bytes.equals(Buffer.alloc(bytes.length));

const proposal = (): Promise<Proposal> => server.ok('GET', `/batches/${batch.id}/next-round`);
const progress = (): Promise<BatchProgress> => server.ok('GET', `/batches/${batch.id}/progress`);

async function armed(): Promise<ArmRound> {
  const cards = (await proposal()).cards.flatMap(({ slotId, deviceId, medium }) =>
    deviceId !== null && medium ? [{ slotId, deviceId, identity: medium.identity }] : [],
  );
  return { cards, confirm: `erase ${String(cards.length)}`, lookedAt: Date.now() };
}

const insert = (...pairs: [string, string][]): Promise<unknown> =>
  pairs.reduce<Promise<unknown>>(
    (before, [cardId, slotId]) => before.then(() => server.act({ do: 'insert', cardId, slotId })),
    Promise.resolve(),
  );

describe('a round of cards', () => {
  it('writes the base with each device’s files over it: fsck.fat finds nothing, mtools reads them, the rest is the base', async () => {
    await insert(['card-01', 'slot-1'], ['card-02', 'slot-2']);
    const round = await server.ended(batch.id, (await server.arm(batch.id)).id);
    expect(round.cards.map(({ state }) => state)).toEqual(['verified', 'verified']);
    for (const [index, cardId] of ['card-01', 'card-02'].entries()) {
      const card = written(cardId);
      const device = batch.plan.devices[index]!;
      const boot = join(server.folder, 'boot.img');
      writeFileSync(boot, card.subarray(bootOffset, bootOffset + bootSize));
      execFileSync('fsck.fat', ['-n', boot], { env, stdio: 'pipe' });
      const at = `${cardFile(cardId)}@@${String(bootOffset)}`;
      const read = (name: string): string =>
        execFileSync('mtype', ['-i', at, `::${name}`], { env, encoding: 'utf8' });
      expect(read('user-data')).toContain(`hostname: ${device.hostName}\n`);
      expect(JSON.parse(read('nest-mark.json'))).toMatchObject({
        mark: device.mark,
        nest: device.nest,
        batchId: batch.id,
      });
      expect(read('meta-data')).toContain(`instance-id: ${device.mark}-${round.id}`);
      expect(read('network-config')).not.toContain('low tide');
      const digest = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('hex');
      expect(digest(card.subarray(0, bootOffset))).toBe(digest(raw.subarray(0, bootOffset)));
      expect(digest(card.subarray(bootOffset + bootSize))).toBe(digest(raw.subarray(bootOffset + bootSize)));
    }
  });

  it('does not propose to erase a card that was just verified', async () => {
    await insert(['card-01', 'slot-1'], ['card-03', 'slot-2']);
    const [first, second] = (await proposal()).cards;
    expect(first).toMatchObject({
      deviceId: null,
      refusal: null,
      verifiedFor: { hostName: 'tank-01', nest: 'A1' },
    });
    expect(second).toMatchObject({ deviceId: batch.plan.devices[2]!.id, verifiedFor: null });
  });

  it('keeps a device’s host key when its card is written again, and starts its story over', async () => {
    const device = batch.plan.devices[0]!;
    const before = (await progress()).devices[0]!;
    await server.ok('POST', `/batches/${batch.id}/powered`, { deviceIds: [device.id] });
    await insert(['card-04', 'slot-1']);
    const medium = (await proposal()).cards[0]!.medium!;
    const body = {
      cards: [{ slotId: 'slot-1', deviceId: device.id, identity: medium.identity }],
      confirm: 'erase 1',
      lookedAt: Date.now(),
    };
    await server.ended(batch.id, (await server.ok<Round>('POST', `/batches/${batch.id}/rounds`, body)).id);
    const after = (await progress()).devices[0]!;
    expect(before.fingerprint).toMatch(/^SHA256:[A-Za-z0-9+/]{43}$/);
    expect(after.fingerprint).toBe(before.fingerprint);
    expect([after.poweredAt, after.card?.state]).toEqual([null, 'verified']);
  });

  it('erases nothing without the right words, with another card than the one looked at, or with a card gone', async () => {
    await insert(['card-05', 'slot-1'], ['card-06', 'slot-2']);
    const request = await armed();
    const fresh = written('card-05');
    const refuse = (body: ArmRound) => server.refused('POST', `/batches/${batch.id}/rounds`, body);
    expect(await refuse({ ...request, confirm: 'erase 3' })).toMatchObject({
      status: 422,
      code: 'not-confirmed',
    });
    expect(await refuse({ ...request, cards: [request.cards[0]!, request.cards[0]!] })).toMatchObject({
      code: 'card-twice',
    });
    await server.act({ do: 'pull', slotId: 'slot-1' });
    expect(await refuse(request)).toMatchObject({ status: 409, code: 'card-missing' });
    await insert(['card-07', 'slot-1']);
    expect(await refuse(request)).toMatchObject({ status: 409, code: 'card-changed' });
    expect(written('card-05').equals(fresh)).toBe(true);
    expect(isEmpty(written('card-07'))).toBe(true);
  });

  it.each([
    ['card-small', 'small', /too small.*Use a larger card/],
    ['card-locked', 'protected', /write-protected/],
    ['backup-disk', 'large', /larger than any card allowed/],
  ])(
    'refuses %s already in the proposal, and again when it is armed all the same',
    async (cardId, code, says) => {
      await insert([cardId, 'slot-1']);
      const [slot] = (await proposal()).cards;
      expect(slot).toMatchObject({ deviceId: null });
      expect(slot!.refusal).toMatch(says);
      const cards = [
        { slotId: 'slot-1', deviceId: batch.plan.devices[5]!.id, identity: slot!.medium!.identity },
      ];
      const problem = await server.refused('POST', `/batches/${batch.id}/rounds`, {
        cards,
        confirm: 'erase 1',
        lookedAt: Date.now(),
      });
      expect(problem).toMatchObject({ status: 409, code: `card-${code}` });
    },
  );

  it('where direct access was refused, a card is not called read back from the medium: record, screen and log say so', async () => {
    // As open(2) answers EINVAL for O_DIRECT on a file system that does not know it.
    const refused = jest.spyOn(DirectFile.prototype, 'pastCache', 'get').mockReturnValue(false);
    try {
      await insert(['card-16', 'slot-1']);
      const round = await server.ok<Round>('POST', `/batches/${batch.id}/rounds`, await armed());
      const [card] = (await server.ended(batch.id, round.id)).cards;
      expect(card).toMatchObject({ state: 'verified', pastCache: false });
      expect(card!.message).toMatch(/memory|cache/);
      const log = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}`);
      expect(log.filter(({ text }) => text.includes(card!.message))).toHaveLength(1);
    } finally {
      refused.mockRestore();
    }
  });

  it('drops a card that gives back another byte and one that is pulled; the others are verified', async () => {
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 60e6 });
    await insert(['card-bad', 'slot-1'], ['card-08', 'slot-2'], ['card-09', 'slot-3']);
    const { id } = await server.arm(batch.id);
    await server.until(async () => {
      const [round] = (await progress()).rounds;
      return round!.cards.every(({ share }) => share > 0.05) ? round! : null;
    });
    await server.act({ do: 'pull', slotId: 'slot-2' });
    const round = await server.ended(batch.id, id);
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    expect(round.cards.map(({ state }) => state)).toEqual(['failed', 'failed', 'verified']);
    expect(round.cards[0]!.message).toMatch(/first at byte 50000003\. Do not use this card again/);
    expect(round.cards[1]!.message).toMatch(/pulled out.*write it again/);
    for (const cardId of ['card-bad', 'card-08'])
      expect(isEmpty(written(cardId).subarray(0, 4 << 20))).toBe(true);
    const log = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}&limit=20`);
    expect(log.filter(({ kind }) => kind === 'card-failed')).toHaveLength(2);
  });

  it('cannot take a slot that another round uses; can be stopped, and then says that its card is unfinished', async () => {
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 20e6 });
    await insert(['card-10', 'slot-1']);
    const request = await armed();
    const round = await server.ok<Round>('POST', `/batches/${batch.id}/rounds`, request);
    const device = batch.plan.devices[11]!;
    const again = { ...request, cards: [{ ...request.cards[0]!, deviceId: device.id }] };
    const problem = await server.refused('POST', `/batches/${batch.id}/rounds`, again);
    expect(['card-changed', 'slot-busy']).toContain(problem.code);
    await server.until(async () => ((await progress()).rounds[0]!.state === 'running' ? true : null));
    await server.ok('POST', `/rounds/${round.id}/cancel`);
    const ended = await server.ended(batch.id, round.id);
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    expect([ended.state, ended.cards[0]!.state]).toEqual(['cancelled', 'cancelled']);
    expect(isEmpty(written('card-10').subarray(0, 512))).toBe(true);
    const resumed = await server.resume(round);
    expect((await server.ended(batch.id, resumed.id)).cards[0]!.state).toBe('verified');
    expect(
      await server.refused('POST', `/rounds/${round.id}/resume`, {
        confirm: 'erase 1',
        lookedAt: Date.now(),
        media: [],
      }),
    ).toMatchObject({
      code: 'round-complete',
    });
  });

  it('is not armed while the plan has a finding that stops', async () => {
    await insert(['card-11', 'slot-1']);
    const request = await armed();
    const { version, plan } = await server.ok<Batch>('GET', `/batches/${batch.id}`);
    const saved = await server.ok<Batch>(
      'PUT',
      `/batches/${batch.id}`,
      { plan: { ...plan, country: '' }, secrets: {} },
      { 'If-Match': `"${String(version)}"` },
    );
    const problem = await server.refused('POST', `/batches/${batch.id}/rounds`, request);
    expect(problem).toMatchObject({ status: 409, code: 'plan-stops' });
    expect(problem.detail).toContain('country is missing');
    await server.ok(
      'PUT',
      `/batches/${batch.id}`,
      { plan, secrets: {} },
      { 'If-Match': `"${String(saved.version)}"` },
    );
  });

  it('left open by a server that went away is unfinished afterwards, not finished, and is on record', async () => {
    await insert(['card-12', 'slot-1']);
    const request = await armed();
    // What a kill leaves: a round that says it is running, and nobody who works on it.
    const id = '11111111-1111-4111-8111-111111111111';
    await server.leaveRound(id, batch.id, request.cards);
    await server.domains.runs.repository.begin(id, 'test', id);
    await server.domains.runs.repository.step(id, 'slot-1', 'verifying');
    await server.restart();
    const [round] = (await progress()).rounds;
    expect([round!.id, round!.state, round!.cards[0]!.state]).toEqual([id, 'interrupted', 'unfinished']);
    const [entry] = await server.ok<LogEntry[]>('GET', '/log?limit=1');
    expect(entry).toMatchObject({ kind: 'card-unfinished', deviceId: request.cards[0]!.deviceId });
    const again = await server.resume({ id, batchId: batch.id });
    expect((await server.ended(batch.id, again.id)).cards[0]!.state).toBe('verified');
  });
});
