import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type {
  Batch,
  BatchProgress,
  Exposure,
  Image,
  LogEntry,
  PracticeView,
  Proposal,
  SlotCheck,
} from '@nest-mark/core';
import { emptyNetwork, type ShelvedNetwork } from '@nest-mark/core';
import { noSandbox } from '../../stand-in/src/board/sandbox';
import { baseImage, TestServer, tankPlan } from './helpers/server';

/** The settings on a card are written anew and nothing else: its board comes to the new network with what it has stored. */

const network = '127.61.97';
const beyond = '127.61.161';
const port = 2222;
const env = { ...process.env, MTOOLS_SKIP_CHECK: '1' };
let server: TestServer;
let batch: Batch;
let next: ShelvedNetwork;

const image = (): string => join(server.folder, 'practice/cards/card-01.img');
const onCard = (name: string): string =>
  execFileSync('mtype', ['-i', `${image()}@@1M`, `::${name}`], { env, encoding: 'utf8' });
const asked = async <T>(path: string): Promise<T> => server.ok('POST', `/slots/slot-1/${path}`, await who());
const refused = async (): Promise<{ code: string; detail?: string }> =>
  server.refused('POST', '/slots/slot-1/settings', await who());
async function who(): Promise<object> {
  const { cards } = await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`);
  return { identity: cards[0]!.medium!.identity };
}
async function plan(edit: (plan: Batch['plan']) => void): Promise<void> {
  const now = await server.ok<Batch>('GET', `/batches/${batch.id}`);
  edit(now.plan);
  await server.ok(
    'PUT',
    `/batches/${batch.id}`,
    { plan: now.plan, secrets: {} },
    { 'If-Match': `"${String(now.version)}"` },
  );
}
const online = (): Promise<unknown> =>
  server.until(async () =>
    (await server.ok<PracticeView>('GET', '/practice')).boards[0]!.phase === 'online' ? true : null,
  );
const seen = async (): Promise<BatchProgress['devices'][number]['seen']> =>
  (await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`)).devices[0]!.seen;
/** The card out of its board and into the slot. */
const toSlot = async (): Promise<void> => {
  await server.act({ do: 'takeCard', nest: 'A1' });
  await server.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
};
/** The board's own system: everything that it has stored. */
const root = (): string | null => {
  const { roots } = JSON.parse(readFileSync(join(server.folder, 'practice/lab.json'), 'utf8')) as {
    roots: string;
  };
  const [one] = readdirSync(roots).filter((name) => name.startsWith('A1-'));
  return one === undefined ? null : join(roots, one);
};

(noSandbox() === null ? describe : describe.skip)('the settings on a card', () => {
  beforeAll(async () => {
    server = await TestServer.start(network);
    const shelved = await server.shelve(baseImage);
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    const bench = await server.newNetwork({ subnet: `${network}.0/24` }, 'low tide at seven');
    next = await server.ok('POST', '/networks', {
      network: { ...emptyNetwork('New hall'), ssid: 'New Hall', subnet: `${beyond}.0/24` },
      secret: 'spring tide at noon',
    });
    const made = tankPlan(1, shelved.id, network);
    batch = await server.batch({
      ...made,
      networks: [{ networkId: bench.id, priority: 10 }],
      extras: { ...made.extras, commands: 'touch /once', packages: 'htop' },
      bringUp: { ...made.bringUp, wanted: true, benchKey: true },
    });
    await server.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
    await server.ended(batch.id, (await server.arm(batch.id)).id);
    await server.act({ do: 'seat', batchId: batch.id });
    await server.act({ do: 'powerAll', on: true });
    await server.ok('POST', `/batches/${batch.id}/powered`, {
      deviceIds: batch.plan.devices.map(({ id }) => id),
    });
    await online();
    await server.search(batch.id, `${network}.0/24`, port);
    // It is logged in to, so that its system is there; then something is stored on it.
    await server.ok('POST', `/batches/${batch.id}/exposure`, {
      deviceIds: batch.plan.devices.map(({ id }) => id),
      way: 'bench-key',
    });
    await server.until(async () =>
      (await server.ok<Exposure>('GET', `/batches/${batch.id}/exposure`)).running === null ? true : null,
    );
    writeFileSync(join(root()!, 'srv-tide-table'), 'high water 04:12\n');
    await server.act({ do: 'powerAll', on: false });
    await toSlot();
  });
  afterAll(() => server.end());

  it('are written anew as the plan has them, as another instance; commands and packages are not done once more', async () => {
    const before = {
      meta: onCard('meta-data'),
      mark: onCard('nest-mark.json'),
      config: onCard('extlinux/extlinux.conf'),
    };
    expect(onCard('user-data')).toContain('touch /once');
    const beyondBoot = (): string => {
      // What was written of it, but its boot partition: the first entry of its partition table (MBR).
      const octets = execFileSync('head', ['-c', String(48 << 20), image()], { maxBuffer: 1 << 30 });
      const [start, sectors] = [octets.readUInt32LE(446 + 8), octets.readUInt32LE(446 + 12)];
      expect(start * 512).toBe(1 << 20);
      const rest = Buffer.concat([octets.subarray(0, start * 512), octets.subarray((start + sectors) * 512)]);
      expect(rest.length).toBeGreaterThan(32 << 20);
      return createHash('sha256').update(rest).digest('hex');
    };
    const rest = beyondBoot();
    await plan((now) => {
      now.networks = [{ networkId: next.id, priority: 10 }];
    });
    const check = await asked<SlotCheck>('settings');
    expect(check.settings).toMatchObject({ hostName: 'tank-01', networks: [{ ssid: 'New Hall' }] });
    expect(check.plan).toMatchObject({ changes: [] });
    expect(onCard('meta-data')).not.toBe(before.meta);
    expect(onCard('meta-data')).toMatch(/local-hostname: tank-01/);
    expect(onCard('user-data')).not.toMatch(/touch|htop|package_update/);
    expect([onCard('nest-mark.json'), onCard('extlinux/extlinux.conf')]).toEqual([
      before.mark,
      before.config,
    ]);
    expect(beyondBoot()).toBe(rest);
    const [entry] = await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}&limit=1`);
    expect(entry).toMatchObject({ kind: 'card-settings', deviceId: batch.plan.devices[0]!.id });
    expect(JSON.stringify(entry)).not.toContain('spring tide');
    // Asked twice it is the same but for the instance.
    const steady = (): string =>
      onCard('user-data').replace(/-----BEGIN[^]*?-----END.*|hashed_passwd: .*/g, '');
    const [user, meta] = [steady(), onCard('meta-data')];
    await asked('settings');
    expect([steady(), onCard('meta-data') === meta]).toEqual([user, false]);
  });

  it('bring the board to the new network with what it has stored, and as the same board', async () => {
    const key = await server.domains.plans.repository.records(batch.id);
    await server.act({
      do: 'other-air',
      air: {
        on: true,
        ssid: 'New Hall',
        passphrase: 'spring tide at noon',
        bands: ['2.4 GHz'],
        hidden: false,
        apart: false,
        clients: null,
        sleepsAfter: null,
      },
    });
    await server.act({
      do: 'air',
      air: { on: false, ssid: 'Saltmarsh Bench', passphrase: 'low tide at seven', country: 'DK' },
    });
    await server.act({ do: 'seat', batchId: batch.id });
    await server.act({ do: 'powerAll', on: true });
    await online();
    await server.search(batch.id, `${beyond}.0/24`, port);
    expect(await seen()).toMatchObject({
      standing: 'proved',
      address: expect.stringContaining(beyond) as string,
    });
    expect(await server.domains.plans.repository.records(batch.id)).toMatchObject([
      { hostKey: key[0]!.hostKey },
    ]);
    expect(readFileSync(join(root()!, 'srv-tide-table'), 'utf8')).toBe('high water 04:12\n');
    await server.act({ do: 'powerAll', on: false });
    await toSlot();
  });

  it('are refused for nobody’s card, another card than was looked at, a plan that is not whole, and a method that is read once', async () => {
    const { identity } = (await who()) as { identity: object };
    expect(
      await server.refused('POST', '/slots/slot-1/settings', {
        identity: { ...identity, serial: 'another' },
      }),
    ).toMatchObject({ code: 'card-changed' });
    // A card that only names the device gets no secrets by that.
    const change = async (edit: (text: string) => string): Promise<void> => {
      await server.act({ do: 'pull', slotId: 'slot-1' });
      const file = join(server.folder, 'edited');
      writeFileSync(file, edit(onCard('user-data')));
      execFileSync('mcopy', ['-o', '-i', `${image()}@@1M`, file, '::user-data'], { env });
      await server.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
    };
    const whole = onCard('user-data');
    await change((text) => text.replace(/-----BEGIN[^]*?-----END.*/, 'none'));
    const named = await refused();
    expect(named).toMatchObject({ code: 'settings-not-again' });
    expect(named.detail).toContain('does not have its host key');
    expect(onCard('user-data')).not.toContain('-----BEGIN');
    await change(() => whole);
    const keyless = await server.ok<ShelvedNetwork>('POST', '/networks', {
      network: { ...emptyNetwork('Keyless'), ssid: 'Keyless' },
    });
    await plan((now) => {
      now.networks = [{ networkId: keyless.id, priority: 10 }];
    });
    const before = onCard('meta-data');
    expect(await refused()).toMatchObject({ code: 'files-not-ready' });
    expect(onCard('meta-data')).toBe(before);
    await plan((now) => {
      now.networks = [{ networkId: next.id, priority: 10 }];
    });
    const [shelved] = await server.ok<Image[]>('GET', '/images');
    const { title, about } = shelved!;
    await server.ok('PUT', `/images/${shelved!.id}/about`, {
      title,
      about: { ...about, chosenMethod: 'run-once' },
    });
    const once = await refused();
    expect(once).toMatchObject({ code: 'settings-not-again' });
    expect(once.detail).toContain('read at the first start only');
    await server.act({ do: 'pull', slotId: 'slot-1' });
    await server.act({ do: 'insert', cardId: 'card-02', slotId: 'slot-1' });
    expect(await refused()).toMatchObject({ code: 'card-content' });
  });
});
