import { randomUUID } from 'node:crypto';
import type { Batch, CardFiles, Plan } from '@nest-mark/core';
import { baseImage, TestServer, tankPlan } from './helpers/server';

/** What proves a device and lets people in is made once, and outlives whatever happens to the plan. */

const network = '127.61.26';
let server: TestServer;
let batch: Batch;
beforeAll(async () => {
  server = await TestServer.start(network);
  const image = await server.shelve(baseImage);
  const plan = tankPlan(4, image.id, network);
  batch = await server.batch({
    ...plan,
    access: { ...plan.access, passwordLogin: true, passwordScope: 'each' },
  });
});
afterAll(() => server.end());

const keys = async (): Promise<Record<string, string | null>> =>
  Object.fromEntries(
    (await server.knex('device').select('id', 'host_key')).map((row: { id: string; host_key: string }) => [
      row.id,
      row.host_key,
    ]),
  );
const save = async (change: (plan: Plan) => Plan): Promise<Batch> => {
  const now = await server.ok<Batch>('GET', `/batches/${batch.id}`);
  return server.ok<Batch>(
    'PUT',
    `/batches/${batch.id}`,
    { plan: change(now.plan), secrets: {} },
    { 'If-Match': `"${String(now.version)}"` },
  );
};

describe('a device’s identity', () => {
  it('is there as soon as the device is', async () => {
    for (const device of batch.plan.devices) expect((await keys())[device.id]).toMatch(/^ssh-ed25519 AAAA/);
  });

  it('is one, also for eight previews and twelve reveals at once', async () => {
    const device = batch.plan.devices[0]!;
    const previews = await Promise.all(
      Array.from({ length: 8 }, () =>
        server.ok<CardFiles>('POST', `/batches/${batch.id}/devices/${device.id}/files`, { reveal: true }),
      ),
    );
    const keyIn = (files: CardFiles): string =>
      JSON.stringify(files.files.find(({ path }) => path === 'user-data')).match(
        /ssh-ed25519 [A-Za-z0-9+/]+ [A-Z0-9]{5}/,
      )![0];
    expect(new Set(previews.map(keyIn)).size).toBe(1);
    const reveals = await Promise.all(
      Array.from({ length: 12 }, () =>
        server.ok<{ value: string }>('POST', `/batches/${batch.id}/reveal`, {
          kind: 'userPassword',
          deviceId: device.id,
        }),
      ),
    );
    expect(new Set(reveals.map(({ value }) => value)).size).toBe(1);
    expect(reveals[0]!.value).toHaveLength(16);
  });

  it('is not changed by reading it: no statement of a preview writes to the vault', async () => {
    const before = await server.knex('secret').orderBy(['owner_id', 'kind']);
    await server.ok('POST', `/batches/${batch.id}/devices/${batch.plan.devices[1]!.id}/files`, {
      reveal: false,
    });
    expect(await server.knex('secret').orderBy(['owner_id', 'kind'])).toEqual(before);
  });

  it('survives a removal, a save and an undo, with mark, key and password', async () => {
    const before = await keys();
    const gone = batch.plan.devices[2]!;
    const password = await server.ok<{ value: string }>('POST', `/batches/${batch.id}/reveal`, {
      kind: 'userPassword',
      deviceId: gone.id,
    });
    const without = await save((plan) => ({
      ...plan,
      devices: plan.devices.filter(({ id }) => id !== gone.id),
    }));
    expect(without.plan.devices).toHaveLength(3);
    const [list] = await server.ok<{ devices: number }[]>('GET', '/batches');
    expect(list!.devices).toBe(3);
    await save((plan) => ({ ...plan, devices: batch.plan.devices }));
    expect(await keys()).toEqual(before);
    const again = await server.ok<{ value: string }>('POST', `/batches/${batch.id}/reveal`, {
      kind: 'userPassword',
      deviceId: gone.id,
    });
    expect(again.value).toBe(password.value);
  });

  it('a mark of a device that left is not given out again, and two saves at one moment cannot share one', async () => {
    const [gone] = batch.plan.devices;
    const now = await save((plan) => ({ ...plan, devices: plan.devices.slice(1) }));
    const stranger = { ...gone!, id: randomUUID(), nest: 'A1', hostName: 'other' };
    const problem = await server.refused(
      'PUT',
      `/batches/${batch.id}`,
      { plan: { ...now.plan, devices: [...now.plan.devices, stranger] }, secrets: {} },
      { 'If-Match': `"${String(now.version)}"` },
    );
    expect(problem).toMatchObject({ status: 409, code: 'mark-taken' });
    await save((plan) => ({ ...plan, devices: batch.plan.devices }));
    const twin = tankPlan(1, null, network);
    const answers = await Promise.all(
      Array.from({ length: 6 }, () =>
        server.call<{ code?: string }>('POST', '/batches', {
          plan: { ...twin, devices: twin.devices.map((device) => ({ ...device, id: randomUUID() })) },
          secrets: {},
        }),
      ),
    );
    expect(answers.filter(({ status }) => status === 201)).toHaveLength(1);
    for (const { status, body } of answers)
      if (status !== 201) expect([status, body.code]).toEqual([409, 'mark-taken']);
  });

  it('with a mark that six make at once is made once each time, and nobody waits for a deadlock', async () => {
    for (let turn = 0; turn < 12; turn++) {
      const twin = tankPlan(1, null, network);
      const answers = await Promise.all(
        Array.from({ length: 6 }, () =>
          server.call('POST', '/batches', {
            plan: { ...twin, devices: twin.devices.map((device) => ({ ...device, id: randomUUID() })) },
            secrets: {},
          }),
        ),
      );
      expect(answers.map(({ status }) => status).sort()).toEqual([201, 409, 409, 409, 409, 409]);
    }
  });

  it('of an earlier version, with its key lost from the record, is completed at the start from the vault', async () => {
    const before = await keys();
    await server.knex('device').update({ host_key: null, host_key_fingerprint: null });
    await server.restart();
    expect(await keys()).toEqual(before);
  });
});
