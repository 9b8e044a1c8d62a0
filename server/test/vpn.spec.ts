import { execFileSync } from 'node:child_process';
import type { Batch, BringUp, CardFiles, LogEntry, Plan, PracticeView, VpnView } from '@nest-mark/core';
import { noSandbox } from '../../stand-in/src/board/sandbox';
import { Boards } from './helpers/boards';
import { baseImage, TestServer, tankPlan } from './helpers/server';
import { TunnelLab } from './helpers/tunnel';
import { long } from '../../core/test/helpers/long';

/** Boards are reached through a tunnel: keys and places are made once, and the files are opened by Debian's programs. */

const network = '127.61.89';
const port = 2222;
let server: TestServer;
beforeAll(async () => {
  server = await TestServer.start(network);
});
afterAll(() => server.end());

const withVpn = (plan: Plan, change: Partial<Plan['vpn']> = {}): Plan => ({
  ...plan,
  vpn: { ...plan.vpn, wanted: true, hub: 'hub.example.org', network: '10.86.40.0/24', ...change },
});
const view = ({ id }: Batch): Promise<VpnView> => server.ok('GET', `/batches/${id}/hand-over/vpn/places`);
const file = ({ id }: Batch, deviceId: string | null): Promise<string> =>
  server.ok('POST', `/batches/${id}/hand-over/vpn`, { deviceId });
const save = (batch: Batch, plan: Plan): Promise<Batch> =>
  server.ok(
    'PUT',
    `/batches/${batch.id}`,
    { plan, secrets: {} },
    { 'If-Match': `"${String(batch.version)}"` },
  );
const logged = async ({ id }: Batch): Promise<string[]> =>
  (await server.ok<LogEntry[]>('GET', `/log?batchId=${id}&limit=200`)).map(({ text }) => text);
const secretOf = (content: string): string => /^PrivateKey = (\S+)$/m.exec(content)?.[1] ?? '';
const publicOf = (content: string): string =>
  execFileSync('wg', ['pubkey'], { input: secretOf(content), encoding: 'utf8' }).trim();

describe('a tunnel’s places', () => {
  it('are made with the first save that wants them, once, and stay with their devices', async () => {
    const plain = await server.batch(tankPlan(3, null, network));
    expect(await view(plain)).toEqual({ lacks: '', hub: null, boards: [] });
    expect(
      await server.refused('POST', `/batches/${plain.id}/hand-over/vpn`, { deviceId: null }),
    ).toMatchObject({
      code: 'vpn-not-ready',
    });
    const wanting = withVpn(plain.plan);
    // Several that save at once: one of them does, and nobody's key is made twice.
    const saved = await Promise.allSettled(Array.from({ length: 4 }, () => save(plain, wanting)));
    expect(saved.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
    let batch = await server.ok<Batch>('GET', `/batches/${plain.id}`);
    const first = await view(batch);
    expect(first.hub?.address).toBe('10.86.40.1');
    expect(first.boards.map(({ address, kept }) => [address, kept])).toEqual([
      ['10.86.40.2', true],
      ['10.86.40.3', true],
      ['10.86.40.4', true],
    ]);
    // Another range and another order move nobody from its number, a device that comes back has its own again.
    const [a, b, c] = batch.plan.devices;
    batch = await save(batch, withVpn({ ...batch.plan, devices: [c!, a!] }, { network: '172.20.8.0/22' }));
    expect((await view(batch)).boards.map(({ address }) => address)).toEqual(['172.20.8.4', '172.20.8.2']);
    const more = tankPlan(4, null, network).devices[3]!;
    batch = await save(batch, withVpn({ ...batch.plan, devices: [a!, b!, c!, more] }));
    const last = await view(batch);
    expect(last.boards.slice(0, 3)).toEqual(first.boards);
    expect(last.boards[3]!.address).toBe('10.86.40.5');
  });

  it('cannot be had where the plan is not whole, and that is said', async () => {
    const batch = await server.batch(withVpn(tankPlan(2, null, network), { hub: '' }));
    expect((await view(batch)).lacks).toMatch(/hub/);
    expect(
      await server.refused('POST', `/batches/${batch.id}/hand-over/vpn`, { deviceId: null }),
    ).toMatchObject({
      code: 'vpn-not-ready',
      detail: expect.stringMatching(/Nobody told where boards find the hub/) as string,
    });
    const small = await save(batch, withVpn(batch.plan, { network: '10.86.40.0/29' }));
    const other = await server.batch(withVpn(tankPlan(1, null, network)));
    const foreign = { deviceId: other.plan.devices[0]!.id };
    expect((await server.refused('POST', `/batches/${small.id}/hand-over/vpn`, foreign)).code).toBe(
      'device-missing',
    );
  });
});

describe('a tunnel’s files', () => {
  it('hold the keys that belong together; who got them is in the log, and no secret is', async () => {
    const batch = await server.batch(withVpn(tankPlan(2, null, network)));
    const places = await view(batch);
    const hub = await file(batch, null);
    const boards = await Promise.all(batch.plan.devices.map(({ id }) => file(batch, id)));
    expect(publicOf(hub)).toBe(places.hub!.publicKey);
    expect(boards.map(publicOf)).toEqual(places.boards.map(({ publicKey }) => publicKey));
    for (const { publicKey, address } of places.boards)
      expect(hub).toContain(`PublicKey = ${publicKey}\nAllowedIPs = ${address}/32\n`);
    for (const content of boards) expect(content).toContain(`PublicKey = ${places.hub!.publicKey}\n`);
    const words = await logged(batch);
    expect(
      words.filter((text) => /VPN’s file of .* left the bench .* asked for by \S/.test(text)),
    ).toHaveLength(3);
    const told = JSON.stringify([words, places, batch, await server.ok('GET', `/batches/${batch.id}`)]);
    const stored = JSON.stringify(
      await Promise.all(
        ['secret', 'vpn_peer', 'batch', 'device', 'log_entry'].map((table) => server.knex(table)),
      ),
    );
    for (const content of [hub, ...boards]) {
      expect(secretOf(content)).toHaveLength(44);
      expect(told + stored).not.toContain(secretOf(content));
    }
  });

  const whenTunnel = TunnelLab.possible() ? it : it.skip;
  whenTunnel('open a tunnel between the hub and each board, by Debian’s programs', async () => {
    const batch = await server.batch(withVpn(tankPlan(2, null, network), { hub: '10.99.0.1', keepAlive: 1 }));
    const lab = new TunnelLab();
    try {
      lab.computer('hub', '10.99.0.1/24');
      lab.opens('hub', 'nm-hub', await file(batch, null));
      for (const [index, { id }] of batch.plan.devices.entries()) {
        lab.computer(`b${String(index)}`, `10.99.0.${String(index + 10)}/24`);
        lab.opens(`b${String(index)}`, `nm-b${String(index)}`, await file(batch, id));
      }
      const { boards } = await view(batch);
      for (const { address } of boards) lab.inside('hub', 'ping', '-c', '1', '-w', '20', address);
      lab.inside('b0', 'ping', '-c', '1', '-w', '20', '10.86.40.1');
      const met = lab.inside('hub', 'wg', 'show', 'nm-hub', 'latest-handshakes').trim().split('\n');
      expect(new Map(met.map((line) => line.split('\t') as [string, string])).size).toBe(2);
      expect(met.every((line) => Number(line.split('\t')[1]) > 0)).toBe(true);
      // A board's own network is not drawn into it.
      expect(lab.inside('b0', 'ip', 'route', 'get', '10.99.0.1')).toContain('dev eth0');
    } finally {
      lab.end();
    }
  });

  it('of devices that were taken over are forgotten here, and the hub’s stays whole', async () => {
    const boards = new Boards(server, port);
    try {
      const plan = tankPlan(2, null, network);
      const batch = await server.batch(withVpn({ ...plan, bringUp: { ...plan.bringUp, wanted: false } }));
      const [device] = batch.plan.devices;
      const before = await file(batch, null);
      await boards.at(`${network}.20`, await boards.keyOf(batch, 0));
      await server.ok('POST', `/batches/${batch.id}/powered`, { deviceIds: [device!.id] });
      await server.search(batch.id, `${network}.0/27`, port);
      await server.ok('POST', `/batches/${batch.id}/taken-over`, {
        deviceIds: [device!.id],
        by: 'Mara',
        forget: true,
      });
      expect(
        await server.refused('POST', `/batches/${batch.id}/hand-over/vpn`, { deviceId: device!.id }),
      ).toMatchObject({
        code: 'vpn-not-ready',
        detail: expect.stringMatching(/forgot .*key of the VPN/) as string,
      });
      expect(await file(batch, null)).toBe(before);
      expect((await view(batch)).boards.map(({ kept }) => kept)).toEqual([false, true]);
      // Who left the plan is no longer let in by the hub's next file; destroyed, its number is free.
      const less = await save(batch, { ...batch.plan, devices: batch.plan.devices.slice(1) });
      const [peer] = (await view(batch)).boards;
      expect(await file(less, null)).not.toContain(device!.mark);
      await server.ok('POST', `/batches/${batch.id}/devices/${device!.id}/retirement`, {
        reason: 'lost',
        forget: true,
      });
      const fresh = tankPlan(3, null, network).devices[2]!;
      const again = await save(less, { ...less.plan, devices: [...less.plan.devices, fresh] });
      expect((await view(again)).boards[1]!.address).toBe('10.86.40.2');
      expect((await view(again)).boards[1]!.publicKey).not.toBe(peer!.publicKey);
    } finally {
      boards.close();
    }
  });
});

const whenSandbox = noSandbox() === null ? describe : describe.skip;

whenSandbox('a tunnel that goes onto cards', () => {
  long('is on them, masked in the preview, and what is left of it the bringing up does', async () => {
    const image = await server.shelve(baseImage);
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    const batch = await server.batch(withVpn(tankPlan(1, image.id, network), { by: 'cards' }));
    const [{ id: deviceId }] = batch.plan.devices as [Plan['devices'][number]];
    const content = await file(batch, deviceId);
    const shown = async (reveal: boolean): Promise<string> =>
      (await server.ok<CardFiles>('POST', `/batches/${batch.id}/devices/${deviceId}/files`, { reveal })).files
        .flatMap(({ lines }) => lines.map(({ text }) => text))
        .join('\n');
    const preview = await shown(false);
    expect(preview).toContain('/etc/wireguard/nest-mark.conf');
    expect(preview).not.toContain(secretOf(content));
    expect(await shown(true)).toContain(secretOf(content));

    await server.act({ do: 'insertFresh' });
    await server.ended(batch.id, (await server.arm(batch.id)).id);
    await server.act({ do: 'seat', batchId: batch.id });
    await server.act({ do: 'powerAll', on: true });
    await server.ok('POST', `/batches/${batch.id}/powered`, { deviceIds: [deviceId] });
    await server.until(async () =>
      (await server.ok<PracticeView>('GET', '/practice')).boards.every(({ phase }) => phase === 'online')
        ? true
        : null,
    );
    await server.search(batch.id, `${network}.0/24`, port);
    await server.ok('POST', `/batches/${batch.id}/bring-up`, { deviceIds: [deviceId], way: 'bench-key' });
    const { boards } = await server.until(async () => {
      const now = await server.ok<BringUp>('GET', `/batches/${batch.id}/bring-up`);
      return now.running.length === 0 && now.boards.length > 0 ? now : null;
    });
    expect(boards[0]!.steps.find(({ stepId }) => stepId === 'vpn')).toMatchObject({
      state: 'done',
      text: 'It opens the VPN as 10.86.40.2.',
    });
    expect(boards[0]!.state).toBe('ready');
  });
});
