import { execFileSync } from 'node:child_process';
import {
  preSharedKey,
  PROMPT_FILE,
  settingsOf,
  ssidText,
  type Batch,
  type Image,
  type LogEntry,
  type Plan,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { cardSettings, gather } from '../src/cards/material';
import { baseImage, TestServer, tankPlan } from './helpers/server';

let server: TestServer;
let image: Image;
beforeAll(async () => {
  server = await TestServer.start('127.61.9');
  image = await server.shelve(baseImage);
});
afterAll(() => server.end());

const onCard = async (batch: Batch, index: number) => {
  const device = batch.plan.devices[index]!;
  const material = await gather(server.domains.cards, batch, 'round', settingsOf(batch.plan, device).imageId);
  return cardSettings(server.domains.cards, material, device);
};

describe('what a card will say', () => {
  it('has the colour of its label for the prompt where the plan wants it there', async () => {
    const plan = tankPlan(2, image.id, '127.61.9');
    const paths = async (handOver: Plan['handOver']): Promise<string[][]> => {
      const batch = await server.batch({ ...tankPlan(2, image.id, '127.61.9'), handOver });
      return Promise.all(
        batch.plan.devices.map(async (_, at) => (await onCard(batch, at)).files.map(({ path }) => path)),
      );
    };
    expect(plan.handOver).toEqual({ colours: 'none', atPrompt: false });
    expect(await paths({ colours: 'device', atPrompt: true })).toEqual([[PROMPT_FILE], [PROMPT_FILE]]);
    expect(await paths({ colours: 'device', atPrompt: false })).toEqual([[], []]);
    expect(await paths({ colours: 'none', atPrompt: true })).toEqual([[], []]);
  });

  it('is the batch’s, and for a device that differs its own', async () => {
    const [bench, hall, guest] = [
      await server.newNetwork({}, 'low tide at seven'),
      await server.newNetwork({ ssid: 'Hall', security: 'wpa3-sae' }, 'high tide at noon'),
      await server.newNetwork({ ssid: 'Guest', security: 'open' }),
    ];
    const plan: Plan = {
      ...tankPlan(2, image.id, '127.61.9'),
      networks: [{ networkId: bench.id, priority: 10 }],
    };
    plan.access.others = [{ name: 'helper', keys: plan.access.keys, sudo: true }];
    plan.devices[1]!.overrides = {
      timeZone: 'UTC',
      userName: 'warden',
      networks: [
        { networkId: hall.id, priority: 20 },
        { networkId: guest.id, priority: -1 },
      ],
    };
    const batch = await server.batch(plan);
    const first = await onCard(batch, 0);
    expect(first).toMatchObject({
      timeZone: 'Europe/Copenhagen',
      user: { name: 'keeper', passwordHash: null },
    });
    expect(first.networks).toMatchObject([
      { priority: 10, security: 'wpa2-psk', key: preSharedKey('Saltmarsh Bench', 'low tide at seven') },
    ]);
    expect(first.others).toMatchObject([{ name: 'helper', sudo: true }]);
    const second = await onCard(batch, 1);
    expect(second).toMatchObject({ timeZone: 'UTC', user: { name: 'warden' } });
    // SAE has no key that could stand for the passphrase; an open network has none.
    expect(second.networks).toMatchObject([
      { priority: 20, key: 'high tide at noon' },
      { priority: -1, key: '' },
    ]);
  });

  it('one password for each device: made once, the same on the card and when it is shown, which is logged', async () => {
    const [image] = await server.ok<{ id: string }[]>('GET', '/images');
    const plan = tankPlan(2, image!.id, '127.61.9');
    plan.access = { ...plan.access, passwordLogin: true, passwordScope: 'each' };
    const batch = await server.batch(plan);
    const shown = async (index: number): Promise<string> => {
      const body = { kind: 'userPassword', deviceId: batch.plan.devices[index]!.id };
      return (await server.ok<{ value: string }>('POST', `/batches/${batch.id}/reveal`, body)).value;
    };
    const { user } = await onCard(batch, 0);
    const password = await shown(0);
    expect(password).toMatch(/^[a-zA-Z2-9]{16}$/);
    expect(await shown(0)).toBe(password);
    expect(await shown(1)).not.toBe(password);
    const salt = user.passwordHash?.split('$')[2] ?? '';
    const reference = execFileSync('openssl', ['passwd', '-6', '-salt', salt, password], {
      encoding: 'utf8',
    });
    expect(user.passwordHash).toBe(reference.trim());
    const log = await server.ok<LogEntry[]>('GET', `/log?deviceId=${batch.plan.devices[0]!.id}`);
    expect(log[0]?.text).toMatch(/^The password of tank-01 was shown on the screen; asked for by \S/);
    expect(JSON.stringify(log)).not.toContain(password);
    const stranger = { kind: 'userPassword', deviceId: '00000000-0000-4000-8000-000000000000' };
    expect((await server.refused('POST', `/batches/${batch.id}/reveal`, stranger)).code).toBe(
      'device-missing',
    );
  });
});

describe('a database of the version before', () => {
  it('keeps its plans: the network goes onto the shelf with its key, and the batch joins it', async () => {
    const older = await TestServer.start('127.61.10');
    try {
      const { knex } = older.domains.platform;
      const { vault } = older.domains.networks;
      const id = '88888888-8888-4888-8888-888888888888';
      const {
        networks: _n,
        power: _p,
        kit: _k,
        bench: _b,
        devices,
        ...rest
      } = tankPlan(1, null, '127.61.10');
      // Back to the first version's tables, one migration after the other, however many there are by now.
      while (!(await knex.migrate.currentVersion()).startsWith('0001')) await knex.migrate.down();
      await knex('batch').insert({
        id,
        plan: JSON.stringify({ ...rest, wifi: { ssid: 'Østersvik', hidden: true } }),
      });
      await knex('device').insert({
        id: devices[0]!.id,
        batch_id: id,
        position: 0,
        nest: 'A1',
        mark: devices[0]!.mark,
        host_name: 'tank-01',
        role: '',
      });
      await vault.put(id, 'wifiPassphrase', 'low tide at seven');
      await knex.migrate.latest();
      const batch = await older.ok<Batch>('GET', `/batches/${id}`);
      expect(batch.plan.devices).toMatchObject([{ hostName: 'tank-01', notes: '', overrides: {} }]);
      const [network] = await older.ok<ShelvedNetwork[]>('GET', '/networks');
      expect(batch.plan.networks).toEqual([{ networkId: network?.id, priority: 10 }]);
      expect(network).toMatchObject({ hidden: true, subnet: '127.61.10.0/24', secret: { state: 'kept' } });
      expect(network && ssidText(network)).toBe('Østersvik');
      const { value } = await older.ok<{ value: string }>('POST', `/networks/${network?.id ?? ''}/reveal`);
      expect(value).toBe('low tide at seven');
    } finally {
      await older.end();
    }
  });
});
