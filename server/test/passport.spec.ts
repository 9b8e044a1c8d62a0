import {
  noCardFaults,
  type Batch,
  type BatchProgress,
  type DiskSurvey,
  type LogEntry,
  type Passport,
  type PracticeView,
  type Proposal,
  type RetiredDevice,
  type ReadTrial,
  type Round,
  type StationSettings,
} from '@nest-mark/core';
import { baseImage, TestServer, tankPlan } from './helpers/server';

const network = '127.61.31';
let server: TestServer;
let batch: Batch;

beforeAll(async () => {
  server = await TestServer.start(network);
  const image = await server.shelve(baseImage, '', 'Practice OS 1');
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  batch = await server.batch(tankPlan(3, image.id, network));
});
afterAll(() => server.end());

const passport = (device: number): Promise<Passport> =>
  server.ok('GET', `/batches/${batch.id}/devices/${batch.plan.devices[device]!.id}/passport`);

const boot = async (): Promise<void> => {
  await server.act({ do: 'seat', batchId: batch.id });
  await server.until(async () => {
    const { boards }: PracticeView = await server.act({ do: 'powerAll', on: true });
    return boards.every(({ phase }) => phase === 'online') ? true : null;
  });
  await server.search(batch.id, `${network}.0/24`);
};

describe('this bench', () => {
  it('tells the disks of the computer, and reads some of a card without touching its record', async () => {
    const disks = await server.ok<DiskSurvey[]>('GET', '/disks');
    expect(disks.every(({ offered, why }) => offered === (why === ''))).toBe(true);
    expect(await server.refused('POST', '/slots/slot-1/try')).toMatchObject({ code: 'card-missing' });
    await server.act({ do: 'insertFresh' });
    const before = await server.ok('GET', '/cards');
    const { octets, seconds } = await server.ok<ReadTrial>('POST', '/slots/slot-1/try');
    expect([octets >= 24 << 20, octets <= 25 << 20, seconds > 0]).toEqual([true, true, true]);
    expect(await server.ok('GET', '/cards')).toEqual(before);
    const view = await server.act({ do: 'insertFresh' });
    const cardId = view.slots[0]!.cardId!;
    await server.act({ do: 'cardFaults', cardId, faults: { ...noCardFaults, busy: true } });
    expect(await server.refused('POST', '/slots/slot-1/try')).toMatchObject({ code: 'card-busy' });
    await server.act({ do: 'cardFaults', cardId, faults: { ...noCardFaults, diesAtByte: 1 << 20 } });
    expect(await server.refused('POST', '/slots/slot-1/try')).toMatchObject({ code: 'card-io' });
    await server.act({ do: 'cardFaults', cardId, faults: noCardFaults });
    await server.act({ do: 'pullIdle' });
  });

  it('offers no slot of the practice bench while that is put away, and logs that', async () => {
    const settings = await server.ok<StationSettings>('GET', '/settings/station');
    expect(settings.practice).toBe(true);
    await server.ok('PUT', '/settings/station', { ...settings, practice: false });
    const slots = async (): Promise<number> =>
      (await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`)).cards.length;
    expect(await slots()).toBe(0);
    expect(await server.refused('POST', '/slots/slot-1/try')).toMatchObject({ code: 'card-missing' });
    await server.ok('PUT', '/settings/station', settings);
    expect(await slots()).toBe(4);
    const log = await server.ok<LogEntry[]>('GET', '/log');
    expect(log.slice(0, 2).map(({ text }) => text)).toEqual([
      'The practice bench was brought out.',
      'The practice bench was put away.',
    ]);
  });
});

describe('the passport of a device', () => {
  it('has a key and nothing else before anything was written', async () => {
    const found = await passport(0);
    expect(found).toMatchObject({ cards: [], sightings: [] });
    expect(found.hostKey).toMatch(/^ssh-ed25519 /);
    expect(found.fingerprint).toMatch(/^SHA256:/);
  });

  it('tells the card that was written, with what, and each time its key was seen', async () => {
    await server.act({ do: 'insertFresh' });
    await server.ended(batch.id, (await server.arm(batch.id)).id);
    await boot();
    await server.search(batch.id, `${network}.0/24`);
    const found = await Promise.all([0, 1, 2].map(passport));
    for (const [index, { cards, sightings, hostKey }] of found.entries()) {
      expect(cards).toHaveLength(1);
      expect(cards[0]).toMatchObject({
        round: 1,
        state: 'verified',
        carries: true,
        imageTitle: 'Practice OS 1',
        hostName: batch.plan.devices[index]!.hostName,
      });
      expect(cards[0]!.size).toBeGreaterThan(0);
      expect(sightings).toHaveLength(2);
      expect(sightings.every((seen) => seen.hostKey === hostKey && seen.keyProven)).toBe(true);
    }
    // Nobody's key and nobody's card stands in another one's passport.
    expect(new Set(found.map(({ hostKey }) => hostKey)).size).toBe(3);
    expect(new Set(found.flatMap(({ cards }) => cards.map(({ key }) => key))).size).toBe(3);
  });

  it('a second card takes the first one’s place, which is told to carry the device still', async () => {
    await server.act({ do: 'powerAll', on: false });
    await server.act({ do: 'insertFresh' });
    const [device] = batch.plan.devices;
    const { cards: slots, at } = await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`);
    const fresh = slots.find(({ medium, verifiedFor }) => medium !== null && verifiedFor === null);
    const before = await passport(0);
    const round = await server.ok<Round>('POST', `/batches/${batch.id}/rounds`, {
      cards: [{ slotId: fresh!.slotId, deviceId: device!.id, identity: fresh!.medium!.identity }],
      confirm: 'erase 1',
      lookedAt: at,
    });
    await server.ended(batch.id, round.id);
    const { cards } = await passport(0);
    expect(cards.map(({ carries, round }) => [carries, round])).toEqual([
      [true, 2],
      [true, 1],
    ]);
    expect(cards[1]!.key).toBe(before.cards[0]!.key);
  });

  it('stays when the device leaves the plan, with its mark and its cards, and the device can come back', async () => {
    const now = await server.ok<Batch>('GET', `/batches/${batch.id}`);
    const [gone, ...rest] = now.plan.devices;
    const save = (version: number, devices: Batch['plan']['devices']): Promise<Batch> =>
      server.ok(
        'PUT',
        `/batches/${batch.id}`,
        { plan: { ...now.plan, devices }, secrets: {} },
        { 'If-Match': `"${String(version)}"` },
      );
    const before = await passport(0);
    expect(before.retired).toBeNull();
    const without = await save(now.version, rest);
    const after = await passport(0);
    expect(after).toEqual({
      ...before,
      retired: { device: gone, at: expect.any(Number) as number, reason: '' },
    });
    const retired = (): Promise<RetiredDevice[]> => server.ok('GET', `/batches/${batch.id}/retired`);
    expect(await retired()).toEqual([after.retired]);
    // Nothing waits for it any more.
    const { devices } = await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`);
    expect(devices.map(({ deviceId }) => deviceId)).not.toContain(gone!.id);
    // Its mark stands on its label still: nobody else gets it.
    const other = await server.batch({ ...tankPlan(1, null, network), name: 'Later' });
    const refused = await server.refused(
      'PUT',
      `/batches/${other.id}`,
      { plan: { ...other.plan, devices: [{ ...other.plan.devices[0]!, mark: gone!.mark }] }, secrets: {} },
      { 'If-Match': `"${String(other.version)}"` },
    );
    expect(refused).toMatchObject({ code: 'mark-taken' });
    await save(without.version, [gone!, ...rest]);
    expect(await passport(0)).toEqual(before);
    expect(await retired()).toEqual([]);
  });

  it('is refused for a device that is not in the plan, and for one of another batch', async () => {
    const other = await server.batch({ ...tankPlan(1, null, network), name: 'Others' });
    const [theirs] = other.plan.devices;
    const nobody = '00000000-0000-4000-8000-0000000000ff';
    for (const id of [theirs!.id, nobody])
      expect(await server.refused('GET', `/batches/${batch.id}/devices/${id}/passport`)).toMatchObject({
        status: 404,
        code: 'device-missing',
      });
    expect(await server.refused('GET', `/batches/${nobody}/devices/${theirs!.id}/passport`)).toMatchObject({
      code: 'batch-missing',
    });
    expect(await server.refused('GET', `/batches/${batch.id}/devices/1/passport`)).toMatchObject({
      status: 422,
    });
  });
});
