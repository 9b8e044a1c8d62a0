import { execFileSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  emptyNetwork,
  type Batch,
  type BatchProgress,
  type FieldPlan,
  type FieldView,
  type LogEntry,
  type PracticeView,
  type Rehearsal,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { noSandbox } from '../../stand-in/src/board/sandbox';
import { baseImage, TestServer, tankPlan } from './helpers/server';
import { many } from '../../core/test/helpers/soak';

/** A batch goes into the field: rehearsed at home over a hotspot, with what is told before the trip, and back. */

const network = '127.61.95';
const beyond = '127.61.159';
const port = 2222;
const secret = 'spring tide at noon';
/** Boards, and of those the ones that the hotspot has room for beside this computer. */
const COUNT = many(3, 6);
const ROOM = COUNT - 1;
const of = (number: number): string => `${String(number)} of ${String(COUNT)}`;

let server: TestServer;
let batch: Batch;
let hotspot: ShelvedNetwork;

const trip = (): Promise<FieldView> => server.ok('GET', `/batches/${batch.id}/field`);
const save = async (change: Partial<FieldPlan>): Promise<FieldView> => {
  const { plan, version } = await trip();
  return server.ok(
    'PUT',
    `/batches/${batch.id}/field`,
    { plan: { ...plan, ...change } },
    { 'If-Match': `"${String(version)}"` },
  );
};
const begin = async (purpose: 'rehearsal' | 'site' = 'rehearsal'): Promise<FieldView> =>
  server.ok('POST', `/batches/${batch.id}/rehearsals`, { purpose, version: (await trip()).version });
const newest = async (): Promise<Rehearsal> => (await trip()).rehearsals[0]!;
const proved = ({ boards }: Rehearsal): number => boards.filter(({ provedAt }) => provedAt !== null).length;
const untilProved = (count: number): Promise<Rehearsal> =>
  server.until(async () => {
    const one = await newest();
    return proved(one) >= count ? one : null;
  }, 150_000);
const ended = (): Promise<Rehearsal> =>
  server.until(async () => {
    const one = await newest();
    return one.endedAt === null ? null : one;
  }, 150_000);
const home = (on: boolean): Promise<PracticeView> =>
  server.act({
    do: 'air',
    air: { on, ssid: 'Saltmarsh Bench', passphrase: 'low tide at seven', country: 'DK' },
  });
const away = (clients: number | null, on = true): Promise<PracticeView> =>
  server.act({
    do: 'other-air',
    air: {
      on,
      ssid: 'Keepers hotspot',
      passphrase: secret,
      bands: ['2.4 GHz'],
      hidden: false,
      apart: false,
      clients,
      sleepsAfter: null,
    },
  });

const bundle = async (passphrase: string | null): Promise<Buffer> => {
  const response = await fetch(`${server.url}/api/batches/${batch.id}/field/bundle`, {
    method: 'POST',
    headers: { 'X-Nest-Mark': '1', 'Content-Type': 'application/json' },
    body: JSON.stringify({ passphrase }),
  });
  expect(response.status).toBe(200);
  return Buffer.from(await response.arrayBuffer());
};

const whenSandbox = noSandbox() === null ? describe : describe.skip;

whenSandbox('a batch that goes into the field', () => {
  beforeAll(async () => {
    server = await TestServer.start(network);
    const image = await server.shelve(baseImage);
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    const bench = await server.ok<ShelvedNetwork>('POST', '/networks', {
      network: { ...emptyNetwork('Saltmarsh Bench'), ssid: 'Saltmarsh Bench', subnet: `${network}.0/24` },
      secret: 'low tide at seven',
    });
    hotspot = await server.ok<ShelvedNetwork>('POST', '/networks', {
      network: {
        ...emptyNetwork('Keepers hotspot'),
        ssid: 'Keepers hotspot',
        subnet: `${beyond}.0/24`,
        purpose: 'hotspot',
        // This computer is one of them.
        clientLimit: COUNT,
      },
      secret,
    });
    const made = tankPlan(COUNT, image.id, network);
    batch = await server.batch({
      ...made,
      networks: [
        { networkId: bench.id, priority: 10 },
        { networkId: hotspot.id, priority: 5 },
      ],
      bringUp: { ...made.bringUp, wanted: true, benchKey: true },
      access: { ...made.access, passwordLogin: true, passwordScope: 'each' },
    });
    for (let left = COUNT; left > 0; left -= 4) {
      await server.act({ do: 'pullIdle' });
      await server.act({ do: 'insertFresh' });
      await server.ended(batch.id, (await server.arm(batch.id)).id);
    }
    await server.act({ do: 'seat', batchId: batch.id });
  });
  afterAll(() => server.end());

  it('is saved against a version; nothing is looked for before a network is chosen', async () => {
    expect(await trip()).toMatchObject({ version: 0, standing: 'none', rehearsals: [], visits: [] });
    expect(
      await server.refused('POST', `/batches/${batch.id}/rehearsals`, { purpose: 'rehearsal', version: 0 }),
    ).toMatchObject({
      code: 'field-not-ready',
      detail: expect.stringContaining('is not chosen') as string,
    });
    const put = (version: number): Promise<{ status: number }> =>
      server.call(
        'PUT',
        `/batches/${batch.id}/field`,
        { plan: { networkId: hotspot.id } },
        { 'If-Match': `"${String(version)}"` },
      );
    // Two that save for the first time at once: one is told.
    const both = await Promise.all([put(0), put(0)]);
    expect(both.map(({ status }) => status).sort()).toEqual([200, 409]);
    expect((await put(0)).status).toBe(409);
    expect(await trip()).toMatchObject({ version: 1, plan: { networkId: hotspot.id, minutes: 15 } });
    expect(
      await server.refused('POST', `/batches/${batch.id}/rehearsals`, { purpose: 'rehearsal', version: 0 }),
    ).toMatchObject({ code: 'field-changed' });
  });

  it('a rehearsal with room for all but one: said before, and shown by the try', async () => {
    const { findings } = await trip();
    expect(findings.map(({ text }) => text)).toEqual([
      `“Keepers hotspot” has room for ${String(ROOM)} boards beside this computer, and ${String(COUNT)} go.`,
    ]);
    await away(ROOM);
    await home(false);
    const view = await begin();
    expect(view.rehearsals[0]).toMatchObject({ endedAt: null, passed: null });
    // Two that press at once: the second one is refused.
    expect(
      await server.refused('POST', `/batches/${batch.id}/rehearsals`, {
        purpose: 'rehearsal',
        version: view.version,
      }),
    ).toMatchObject({ code: 'rehearsal-running' });
    await server.act({ do: 'powerAll', on: true });
    const some = await untilProved(ROOM);
    expect(some.boards.every(({ address }) => address === null || address.startsWith(beyond))).toBe(true);
    await server.ok('POST', `/rehearsals/${some.id}/end`);
    const done = await ended();
    expect(done.passed).toBe(false);
    expect(done.verdict).toMatch(
      new RegExp(
        `^${of(ROOM)} proved over “Keepers hotspot”, the first after \\d+:\\d\\d min, the last after \\d+:\\d\\d min\\. Missing: tank-0\\d\\. It has room for ${String(ROOM)} beside this computer, and they were there: .* It was ended before\\.$`,
      ),
    );
    expect(await server.refused('POST', `/rehearsals/${done.id}/end`)).toMatchObject({
      code: 'rehearsal-ended',
    });
    expect(await trip()).toMatchObject({ standing: 'failed' });
    const log = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}&limit=20`);
    expect(log.map(({ text }) => text)).toContain(`Rehearsal, not passed: ${done.verdict}`);
  });

  it('passes where there is room, goes on after the program was stopped in the middle, and the boards come home', async () => {
    await away(ROOM);
    const { version } = await trip();
    await begin();
    await untilProved(ROOM);
    const before = await newest();
    await server.restart();
    // Who was proved stays so, with the time it took; the practice boards start anew with the program.
    const after = await newest();
    expect(after.id).toBe(before.id);
    expect(proved(after)).toBeGreaterThanOrEqual(ROOM);
    for (const board of before.boards.filter(({ provedAt }) => provedAt !== null))
      expect(after.boards).toContainEqual(board);
    await away(null);
    await server.act({ do: 'powerAll', on: false });
    await server.act({ do: 'powerAll', on: true });
    const done = await ended();
    expect(done).toMatchObject({ passed: true });
    expect(done.verdict).toMatch(new RegExp(`^${of(COUNT)} proved over`));
    expect(await trip()).toMatchObject({ standing: 'passed', version });
    expect((await trip()).before.find(({ id }) => id === 'rehearsed')).toMatchObject({ done: true });
    expect((await trip()).boards.map(({ home: back }) => back)).toEqual(Array(COUNT).fill(false));
    // Home again.
    await home(true);
    await away(null, false);
    await server.act({ do: 'powerAll', on: false });
    await server.act({ do: 'powerAll', on: true });
    await server.until(async () => {
      await server.search(batch.id, `${network}.0/24`, port);
      return (await trip()).boards.every(({ home: back }) => back === true) ? true : null;
    }, 150_000);
  });

  it('has a verdict that lapses when the network is changed', async () => {
    await server.ok(
      'PUT',
      `/networks/${hotspot.id}`,
      {
        network: { ...emptyNetwork('Keepers hotspot'), ssid: 'Keepers hotspot', subnet: `${beyond}.0/24` },
        secret,
      },
      { 'If-Match': `"${String(hotspot.version)}"` },
    );
    expect(await trip()).toMatchObject({
      standing: 'lapsed',
      why: 'Since the rehearsal: the network was changed. Rehearse again.',
      findings: [],
    });
  });

  it('ends by itself when its time is up, and says what to look at where nobody came', async () => {
    await save({ minutes: 1 });
    const { id } = (await begin()).rehearsals[0]!;
    // A minute ago, as the database has it.
    await server
      .knex('rehearsal')
      .where('id', id)
      .update({ begun_at: new Date(Date.now() - 61_000) });
    const done = await server.until(async () => {
      const one = (await trip()).rehearsals.find((tried) => tried.id === id);
      return one && one.endedAt !== null ? one : null;
    });
    expect(done).toMatchObject({ passed: false });
    expect(done.verdict).toContain(`${of(0)} proved`);
    expect(done.verdict).toMatch(/whether this computer is on it.*The time was up\.$/);
  });

  it('on site writes a visit down for whoever is proved, and takes others by hand', async () => {
    await home(false);
    await away(null);
    await begin('site');
    await server.act({ do: 'powerAll', on: false });
    await server.act({ do: 'powerAll', on: true });
    expect(await ended()).toMatchObject({ passed: true, purpose: 'site' });
    let now = await trip();
    expect(now.visits).toHaveLength(COUNT);
    expect(now.visits.every(({ note }) => note.startsWith(`Proved at ${beyond}.`))).toBe(true);
    expect(now.site.filter(({ by }) => by === 'bench').every(({ done }) => done)).toBe(true);
    // The rehearsal stands as it was.
    expect(now.standing).toBe('lapsed');
    const deviceId = batch.plan.devices[2]!.id;
    now = await server.ok('POST', `/batches/${batch.id}/visits`, {
      deviceId,
      note: 'Mooring chafed, new shackle.',
      volts: 3.9,
    });
    expect(now.visits[0]).toMatchObject({ deviceId, note: 'Mooring chafed, new shackle.', volts: 3.9 });
    expect(
      await server.refused('POST', `/batches/${batch.id}/visits`, {
        deviceId: randomUUID(),
        note: 'x',
        volts: null,
      }),
    ).toMatchObject({ code: 'device-missing' });
    expect(
      await server.refused('POST', `/batches/${batch.id}/visits`, { deviceId, note: '  ', volts: null }),
    ).toMatchObject({ code: 'invalid' });
    const log = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}&limit=5`);
    expect(
      log.some(
        ({ text, deviceId: whose }) => whose === deviceId && /visited: Mooring chafed.* 3\.9 V\.$/.test(text),
      ),
    ).toBe(true);
    const progress = await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`);
    expect(progress.devices.every(({ seen }) => seen?.address.startsWith(beyond))).toBe(true);
  });

  it('keeps ticks, and begins the lists anew', async () => {
    const tick = (check: string, ticked: boolean): Promise<FieldView> =>
      server.ok('PUT', `/batches/${batch.id}/field/ticks/${check}`, { ticked });
    const done = ({ before }: FieldView, id: string): boolean | undefined =>
      before.find((check) => check.id === id)?.done;
    expect(done(await tick('phone', true), 'phone')).toBe(true);
    await tick('labels', true);
    expect(done(await tick('phone', false), 'phone')).toBe(false);
    expect(done(await trip(), 'labels')).toBe(true);
    await server.ok('DELETE', `/batches/${batch.id}/field/ticks`);
    expect(done(await trip(), 'labels')).toBe(false);
    expect(
      await server.refused('PUT', `/batches/${batch.id}/field/ticks/wings`, { ticked: true }),
    ).toMatchObject({ code: 'invalid' });
  });

  it('goes along as one file: unzip and ssh read it, age opens the passwords, and no secret is in the open', async () => {
    const passphrase = 'the tide waits for nobody';
    const bundleAt = (): Promise<boolean | undefined> =>
      trip().then(({ before }) => before.find(({ id }) => id === 'bundle')?.done);
    expect(await bundleAt()).toBe(false);
    const folder = mkdtempSync(join(tmpdir(), 'nest-mark-bundle-'));
    try {
      const answer = await bundle(passphrase);
      writeFileSync(join(folder, 'bundle.zip'), answer);
      execFileSync('unzip', ['-q', 'bundle.zip'], { cwd: folder });
      const inside = join(folder, 'field.tank-monitors');
      const read = (name: string): string => readFileSync(join(inside, name), 'utf8');
      expect(readdirSync(inside).sort()).toEqual([
        'START-HERE.html',
        'batch.csv',
        'credentials.csv.age',
        'hosts',
        'known_hosts',
        'plan.json',
        'record.html',
        'ssh_config',
      ]);
      const page = read('START-HERE.html');
      for (const text of [
        'Keepers hotspot',
        `tank-0${String(COUNT)}`,
        'Before you leave',
        'On site',
        'Guide:',
        beyond,
      ])
        expect(page).toContain(text);
      // OpenSSH’s own reading of it: the address there, and the host keys beside it.
      const asked = execFileSync('ssh', ['-G', '-F', 'ssh_config', 'tank-01'], {
        cwd: inside,
        encoding: 'utf8',
      });
      expect(asked).toMatch(new RegExp(`^hostname ${beyond.replaceAll('.', '\\.')}\\.\\d+$`, 'm'));
      expect(asked).toMatch(/^userknownhostsfile known_hosts$/m);
      const known = execFileSync('ssh-keygen', ['-l', '-f', 'known_hosts'], {
        cwd: inside,
        encoding: 'utf8',
      });
      expect(known.trim().split('\n').length).toBeGreaterThanOrEqual(COUNT);
      const clear = ['batch.csv', 'hosts', 'plan.json', 'record.html', 'START-HERE.html', 'ssh_config'];
      for (const name of clear) {
        expect(read(name)).not.toContain(secret);
        expect(read(name)).not.toContain(passphrase);
      }
      expect(JSON.parse(read('plan.json'))).toMatchObject({
        format: 'nest-mark-plan',
        secrets: expect.any(String) as string,
      });
      execFileSync('script', ['-qec', 'age -d -o open.csv credentials.csv.age', '/dev/null'], {
        cwd: inside,
        input: `${passphrase}\n`,
      });
      expect(read('open.csv').trim().split('\n')).toHaveLength(COUNT + 1);
      expect(await bundleAt()).toBe(true);
      // Without a passphrase nothing secret goes along.
      writeFileSync(join(folder, 'open.zip'), await bundle(null));
      const names = execFileSync('unzip', ['-Z1', 'open.zip'], { cwd: folder, encoding: 'utf8' });
      expect(names).not.toContain('credentials');
      expect(
        execFileSync('unzip', ['-p', 'open.zip', '*/plan.json'], { cwd: folder, encoding: 'utf8' }),
      ).not.toContain('secrets');
      await save({ minutes: 20 });
      expect(await bundleAt()).toBe(false);
      expect(
        await server.refused('POST', `/batches/${batch.id}/field/bundle`, { passphrase: 'short' }),
      ).toMatchObject({ code: 'invalid' });
    } finally {
      rmSync(folder, { recursive: true });
    }
  });
});
