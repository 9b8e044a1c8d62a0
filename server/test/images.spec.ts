import { execFileSync } from 'node:child_process';
import { createHash, randomUUID } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Image, Problem, Proposal } from '@nest-mark/core';
import { baseImage, TestServer, tankPlan, type Answer } from './helpers/server';

let server: TestServer;
beforeAll(async () => {
  server = await TestServer.start('127.61.3');
});
afterAll(() => server.end());

const file = (name: string, content: Uint8Array): string => {
  const path = join(server.folder, name);
  writeFileSync(path, content);
  return path;
};
const sha256 = (path: string): string => createHash('sha256').update(readFileSync(path)).digest('hex');

describe('the shelf', () => {
  let good: Image;

  it('shows what it found: digest as sha256sum prints it, partitions, method, sizes', async () => {
    const list = `${'0'.repeat(64)}  other.img\n${sha256(baseImage)}  practice-os-small.img.xz\n`;
    good = await server.shelve(baseImage, list, 'Practice OS 1');
    const digest = execFileSync('sha256sum', [baseImage], { encoding: 'utf8' }).split(' ')[0];
    expect(good).toMatchObject({
      state: 'ready',
      packing: 'xz',
      packedSha256: digest,
      rawSize: 13 << 20,
      method: 'declarative-seed',
    });
    expect(good.partitions.map(({ fileSystem, label, offset }) => [fileSystem, label, offset])).toEqual([
      ['fat16', 'CIDATA', 1 << 20],
      ['ext', 'root', 7 << 20],
    ]);
  });

  it('shows what its system can do, and looks again at one that an earlier version put on the shelf', async () => {
    const { system } = good;
    expect(system?.abilities.netplan).toMatchObject({ has: true, version: '1.1.2-2' });
    await server.knex.raw(`update image set facts = facts - 'system' where id = ?`, [good.id]);
    const seen = async (): Promise<Image | undefined> =>
      (await server.call<Image[]>('GET', '/images')).body.find(({ id }) => id === good.id);
    expect((await seen())?.system).toBeNull();
    await server.restart();
    await server.until(async () => ((await seen())?.system ? true : null));
    expect((await seen())?.system).toEqual(system);
  });

  it('recognises an image that is there already', async () => {
    const again = await server.shelve(baseImage, '', 'The same');
    expect([again.state, again.message]).toEqual([
      'failed',
      'This image is on the shelf already, as "Practice OS 1".',
    ]);
  });

  it.each([
    [
      'cut off',
      () => file('cut.img.xz', readFileSync(baseImage).subarray(0, 3_000_000)),
      '',
      /cut off or damaged/,
    ],
    [
      'no disk image',
      () => file('letter.img', Buffer.alloc(4 << 20, 'Dear all, ')),
      '',
      /partition table|not a disk/i,
    ],
    ['not the published one', () => baseImage, 'a'.repeat(64), /not the published one/],
  ])(
    'refuses one that is %s, keeps nothing of it, and says so in the log',
    async (_name, make, published, says) => {
      const before = readdirSync(join(server.folder, 'shelf'));
      const image = await server.shelve(make(), published);
      expect(image.state).toBe('failed');
      expect(image.message).toMatch(says);
      expect(readdirSync(join(server.folder, 'shelf'))).toEqual(before);
      const [entry] = await server.ok<{ kind: string }[]>('GET', '/log?limit=1');
      expect(entry?.kind).toBe('image-refused');
      expect((await server.ok<Image[]>('GET', '/images')).find(({ id }) => id === good.id)?.state).toBe(
        'ready',
      );
    },
  );

  it.each([
    ['a path that is not there', { path: '/nowhere/at/all.img', title: '', sha256: '' }, 'image-unreadable'],
    ['a folder', { path: '/', title: '', sha256: '' }, 'image-unreadable'],
    ['a digest that is none', { path: baseImage, title: '', sha256: 'abc' }, 'digest-form'],
    [
      'a published list that does not name it',
      { path: baseImage, title: '', sha256: `${'a'.repeat(64)}  other.img` },
      'digest-other-file',
    ],
  ])('answers %s at once', async (_name, body, code) => {
    expect(await server.refused('POST', '/images', body)).toMatchObject({ status: 422, code });
  });

  it('starts the same work once for one key, and refuses the key for other work', async () => {
    const key = { 'Idempotency-Key': 'twice-pressed-button' };
    const body = { path: file('other.img', Buffer.alloc(1 << 20)), title: 'Other', sha256: '' };
    const [first, second] = await Promise.all([
      server.ok<Image>('POST', '/images', body, key),
      server.ok<Image>('POST', '/images', body, key),
    ]);
    expect(second.id).toBe(first.id);
    expect(await server.refused('POST', '/images', { ...body, title: 'New' }, key)).toMatchObject({
      code: 'key-reused',
    });
  });

  it('does so for ten presses at the very same moment', async () => {
    const key = { 'Idempotency-Key': 'ten-presses-at-once' };
    const body = { path: file('ten.img', Buffer.alloc(1 << 20, 1)), title: 'Ten', sha256: '' };
    const presses = Array.from({ length: 10 }, () => server.ok<Image>('POST', '/images', body, key));
    expect(new Set((await Promise.all(presses)).map(({ id }) => id)).size).toBe(1);
    const shelf = await server.ok<Image[]>('GET', '/images');
    expect(shelf.filter(({ title }) => title === 'Ten')).toHaveLength(1);
  });

  it('does not let go of an image that a batch needs', async () => {
    const batch = await server.batch(tankPlan(1, good.id, '127.61.3'));
    const problem = await server.refused('DELETE', `/images/${good.id}`);
    expect(problem).toMatchObject({ status: 409, code: 'image-needed' });
    expect(problem.detail).toContain('Tank monitors');
    await server.ok(
      'PUT',
      `/batches/${batch.id}`,
      { plan: { ...batch.plan, imageId: null }, secrets: {} },
      { 'If-Match': '"1"' },
    );
    await server.ok('DELETE', `/images/${good.id}`);
    expect(existsSync(join(server.folder, 'shelf', good.id))).toBe(false);
  });

  it('is not removed under a round that is armed at that very moment', async () => {
    const image = await server.shelve(baseImage);
    const { id: batchId, plan } = await server.batch(tankPlan(1, null, '127.61.3'));
    await server.act({ do: 'insertFresh' });
    const { cards } = await server.ok<Proposal>('GET', `/batches/${batchId}/next-round`);
    const { slotId, medium } = cards[0]!;
    const deviceId = plan.devices[0]!.id;
    const { images, runs, rounds } = server.domains;
    const armed = {
      ...{ slotId, slotTitle: slotId, cardKind: '', cardKey: 'key', deviceId, hostName: 'tank-01' },
      ...{ identity: medium!.identity, imageId: image.id, imageSha256: image.rawSha256 ?? '' },
      ...{ method: 'declarative-seed' as const, overrule: null, marked: true },
    };
    let removal: Promise<Answer<Problem>> | undefined;
    await server.knex.transaction(async (db) => {
      // As arming does: the image is held, then the round is written down.
      expect(await images.repository.hold(image.id, db)).not.toBeNull();
      removal = server.call<Problem>('DELETE', `/images/${image.id}`);
      await server.until(async () => {
        const waits: unknown = await server
          .knex('pg_stat_activity')
          .where('wait_event_type', 'Lock')
          .whereRaw('datname = current_database()')
          .first('pid');
        return waits ? true : null;
      });
      const id = randomUUID();
      const item = { subject: slotId, deviceId, slot: { id: slotId, identity: armed.identity } };
      await runs.repository.create(
        { id, kind: 'round', batchId, begunBy: 'a test', items: [item] },
        'another-bench',
        db,
      );
      await rounds.repository.create(id, batchId, [armed], db);
    });
    expect(await removal).toMatchObject({ status: 409, body: { code: 'image-in-use' } });
    expect(existsSync(join(server.folder, 'shelf', image.id))).toBe(true);
  });
});
