import { execFileSync } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  boardProfiles,
  type KeyType,
  type LogEntry,
  type MadeKey,
  type MeasuredRate,
  type Proposal,
  type ShelvedBoard,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { baseImage, TestServer, tankPlan } from './helpers/server';

let server: TestServer;
beforeAll(async () => {
  server = await TestServer.start('127.61.6');
});
afterAll(() => server.end());

const bare = ({ id: _id, version: _version, secret: _secret, ...network }: ShelvedNetwork) => network;
const texts = async (): Promise<string[]> =>
  (await server.ok<LogEntry[]>('GET', '/log')).map(({ text }) => text);

describe('the shelf of networks', () => {
  it('keeps a network and its key apart, judges the key, and shows it only on a logged request', async () => {
    const network = await server.newNetwork({ title: 'Hall', ssid: 'Hall' }, 'oysters & tides ');
    expect(network.secret).toEqual({ state: 'kept', faults: ['spaces'] });
    expect(JSON.stringify(network)).not.toContain('oysters');
    const saved = await server.ok<ShelvedNetwork>(
      'PUT',
      `/networks/${network.id}`,
      { network: { ...bare(network), security: 'wep' } },
      { 'If-Match': '"1"' },
    );
    // The same key is judged by the new security.
    expect(saved).toMatchObject({ version: 2, secret: { faults: ['wep-form', 'spaces'] } });
    const shown = await server.ok<{ value: string }>('POST', `/networks/${network.id}/reveal`);
    expect(shown.value).toBe('oysters & tides ');
    expect((await texts())[0]).toMatch(
      /^The passphrase of network "Hall" was shown on the screen; asked for by \S/,
    );
    expect((await texts()).join()).not.toContain('oysters');
    const emptied = await server.ok<ShelvedNetwork>(
      'PUT',
      `/networks/${network.id}`,
      { network: bare(saved), secret: '' },
      { 'If-Match': '"2"' },
    );
    expect(emptied.secret).toEqual({ state: 'missing', faults: [] });
  });

  it('never overwrites somebody else’s change', async () => {
    const network = await server.newNetwork();
    const put = (ssid: string, version: string) =>
      server.call<{ code: string }>(
        'PUT',
        `/networks/${network.id}`,
        { network: { ...bare(network), ssid } },
        { 'If-Match': version },
      );
    expect((await put('One', '"1"')).status).toBe(200);
    expect((await put('Two', '"1"')).body.code).toBe('network-changed');
    const list = await server.ok<ShelvedNetwork[]>('GET', '/networks');
    expect(list.find(({ id }) => id === network.id)?.ssid).toBe('One');
  });

  it('stays while a batch or a single device needs it', async () => {
    const [one, two, three] = [
      await server.newNetwork(),
      await server.newNetwork(),
      await server.newNetwork(),
    ];
    const plan = { ...tankPlan(2, null, '127.61.6'), networks: [{ networkId: one.id, priority: 1 }] };
    plan.devices[1]!.overrides = { networks: [{ networkId: two.id, priority: 1 }] };
    await server.batch(plan);
    for (const { id } of [one, two])
      expect(await server.refused('DELETE', `/networks/${id}`)).toMatchObject({
        status: 409,
        code: 'network-needed',
        detail: expect.stringContaining('Tank monitors') as string,
      });
    await server.ok('DELETE', `/networks/${three.id}`);
    expect((await server.refused('DELETE', `/networks/${three.id}`)).code).toBe('network-missing');
  });

  it.each([
    ['a negative pool', { poolSize: -1 }, 'poolSize'],
    ['an absurd channel', { channels: [{ band: '5 GHz', channel: 9999 }] }, 'channels'],
    ['an unknown security', { security: 'magic' }, 'security'],
  ])('refuses %s, naming the field', async (_name, change, field) => {
    const network = { ...bare(await server.newNetwork()), ...change };
    const problem = await server.refused('POST', '/networks', { network });
    expect(problem.status).toBe(422);
    expect(problem.detail).toContain(field);
  });
});

describe('the shelf of boards', () => {
  const board = async (id: string): Promise<ShelvedBoard | undefined> =>
    (await server.ok<ShelvedBoard[]>('GET', '/boards')).find((entry) => entry.id === id);
  const put = (profile: object, id: string, version: number) =>
    server.call<ShelvedBoard & { code: string; detail: string }>(
      'PUT',
      `/boards/${id}`,
      { board: profile },
      { 'If-Match': `"${String(version)}"` },
    );

  it('holds what ships, changed by people where they did, and back again', async () => {
    const [shipped] = boardProfiles;
    expect(await server.ok<ShelvedBoard[]>('GET', '/boards')).toHaveLength(12);
    const changed = await put({ ...shipped!, peakMilliamp: 1234 }, 'full-64', 0);
    expect(changed.body).toMatchObject({ origin: 'changed', version: 1, peakMilliamp: 1234 });
    expect((await put({ ...shipped!, peakMilliamp: 1 }, 'full-64', 0)).body.code).toBe('board-changed');
    await server.ok('DELETE', '/boards/full-64');
    expect(await board('full-64')).toEqual({ ...shipped!, origin: 'shipped', version: 0 });
    expect((await server.refused('DELETE', '/boards/full-64')).code).toBe('board-shipped');
  });

  it('takes people’s own, which stay while a batch needs them', async () => {
    const own = { ...boardProfiles[0]!, id: 'own-1', title: 'Our own' };
    expect((await put(own, 'own-1', 0)).body).toMatchObject({ origin: 'own', version: 1 });
    const plan = tankPlan(2, null, '127.61.6');
    plan.devices[0]!.overrides = { boardProfileId: 'own-1' };
    await server.batch(plan);
    expect((await server.refused('DELETE', '/boards/own-1')).code).toBe('board-needed');
  });

  it.each([
    ['without data', { id: 'x', title: 'x' }, 'x'],
    ['with a negative current', { ...boardProfiles[0]!, id: 'x', idleMilliamp: -5 }, 'x'],
    ['with an absurd speed', { ...boardProfiles[0]!, id: 'x', speed: 1e9 }, 'x'],
    ['of another id', { ...boardProfiles[0]!, id: 'y' }, 'x'],
  ])('refuses a profile %s', async (_name, profile, id) => {
    expect((await put(profile, id, 0)).status).toBe(422);
    expect(await board(id)).toBeUndefined();
  });
});

describe('keys made here', () => {
  const types: [KeyType, string][] = [
    ['ed25519', '256 '],
    ['rsa-3072', '3072 '],
    ['ecdsa-256', '256 '],
    ['ecdsa-384', '384 '],
    ['ecdsa-521', '521 '],
  ];

  it.each(types)('%s: ssh-keygen reads both halves, and they belong together', async (type, bits) => {
    const folder = mkdtempSync(join(tmpdir(), 'nest-mark-keys-'));
    try {
      for (const passphrase of ['', 'low tide at seven']) {
        const key = await server.ok<MadeKey>('POST', '/keys', { type, comment: 'mara@bench', passphrase });
        const path = join(folder, 'key');
        writeFileSync(path, key.privateText);
        chmodSync(path, 0o600);
        const derived = execFileSync('ssh-keygen', ['-y', '-P', passphrase, '-f', path], {
          encoding: 'utf8',
        });
        expect(derived.trim().split(' ').slice(0, 2)).toEqual(key.publicLine.split(' ').slice(0, 2));
        writeFileSync(`${path}.pub`, key.publicLine);
        const printed = execFileSync('ssh-keygen', ['-lf', `${path}.pub`], { encoding: 'utf8' });
        expect(printed).toContain(`${bits}${key.fingerprint} mara@bench`);
        if (passphrase !== '')
          expect(() =>
            execFileSync('ssh-keygen', ['-y', '-P', 'wrong', '-f', path], { stdio: 'pipe' }),
          ).toThrow();
        expect((await texts()).join()).not.toContain(key.privateText.split('\n')[1]);
      }
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  });

  it('refuses a comment that would break the line', async () => {
    const problem = await server.refused('POST', '/keys', {
      type: 'ed25519',
      comment: 'a\nb',
      passphrase: '',
    });
    expect(problem.status).toBe(422);
  });
});

describe('what the bench learns', () => {
  it('is nothing before a round, and then the rates of each slot and kind of card', async () => {
    expect(await server.ok('GET', '/rates')).toEqual([]);
    const image = await server.shelve(baseImage);
    const batch = await server.batch(tankPlan(2, image.id, '127.61.6'));
    await server.act({ do: 'insertFresh' });
    const round = await server.arm(batch.id);
    await server.ended(batch.id, round.id);
    const rates = await server.ok<MeasuredRate[]>('GET', '/rates');
    expect(rates.map(({ reader, count }) => [reader, count])).toEqual([
      ['Slot 1', 1],
      ['Slot 2', 1],
    ]);
    for (const { write, verify, cardKind } of rates) {
      expect(cardKind).toMatch(/, \d+(\.\d+)? GB$/);
      expect(write.middle).toBeGreaterThan(0);
      expect(verify.middle).toBeGreaterThan(0);
    }
  });
});

describe('devices with an image of their own', () => {
  it('cannot be written while that image is not on the shelf', async () => {
    const [known] = await server.ok<{ id: string }[]>('GET', '/images');
    const plan = tankPlan(3, known!.id, '127.61.6');
    // An image that is not on the shelf stops the plan; the batch's own stands in for a second one here.
    const other = '6f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a10';
    plan.devices[1]!.overrides = { imageId: other };
    const batch = await server.batch(plan);
    const { blockers } = await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`);
    expect(blockers.join()).toContain('tank-02: The chosen image is no longer on the shelf.');
  });
});
