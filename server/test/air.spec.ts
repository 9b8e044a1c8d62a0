import { execFileSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  readWifiCode,
  toHex,
  utf8,
  type AirView,
  type CodePattern,
  type LogEntry,
  type Network,
  type ShelvedNetwork,
  type TriedKey,
} from '@nest-mark/core';
import type { SavedView } from '@nest-mark/core/api';
import { TestServer } from './helpers/server';

/** What the radio of the practice bench hears, and keys that are tried before any card is written. */

const network = '127.61.99';
const secret = 'low tide at seven';
let server: TestServer;

beforeAll(async () => {
  server = await TestServer.start(network);
});
afterAll(() => server.end());
beforeEach(() => air({}));

const air = (change: object): Promise<unknown> =>
  server.act({
    do: 'air',
    air: {
      on: true,
      ssid: 'Saltmarsh Bench',
      passphrase: secret,
      country: 'DK',
      bands: ['2.4 GHz'],
      hidden: false,
      poolSize: 40,
      ...change,
    },
  });
const look = (): Promise<AirView> => server.ok('POST', '/air/look', { adapter: 'practice0' });
const version = ({ version: at }: ShelvedNetwork): Record<string, string> => ({
  'If-Match': `"${String(at)}"`,
});
const attempt = async (one: ShelvedNetwork): Promise<TriedKey> =>
  (await server.ok<ShelvedNetwork>('POST', `/networks/${one.id}/try`, { adapter: 'practice0' }, version(one)))
    .tried!;
const shelved = (change: Partial<Network> = {}, key = secret): Promise<ShelvedNetwork> =>
  server.newNetwork(change, key);
const record = async (id: string): Promise<TriedKey | undefined> =>
  (await server.ok<ShelvedNetwork[]>('GET', '/networks')).find((one) => one.id === id)?.tried;

describe('the air of the practice bench', () => {
  it('has the bench’s network by its octets, neighbours of every kind, and who hides a name as hidden', async () => {
    expect((await server.ok<AirView>('GET', '/air')).adapters).toEqual([
      { name: 'practice0', bands: ['2.4 GHz', '5 GHz'], inUse: false, mayTry: '', asks: '' },
    ]);
    const { look: heard } = await look();
    const first = heard?.networks[0];
    expect(first).toMatchObject({ ssidHex: toHex(utf8('Saltmarsh Bench')), text: 'Saltmarsh Bench' });
    expect(first?.points).toMatchObject([
      { band: '2.4 GHz', channel: 6, security: 'wpa2-psk', country: 'DK' },
    ]);
    expect(heard?.networks.at(-1)).toMatchObject({ ssidHex: '' });
    expect(new Set(heard?.networks.flatMap(({ points }) => points.map((one) => one.security)))).toEqual(
      new Set(['wpa2-psk', 'wpa3-sae', 'enterprise', 'wpa2-wpa3', 'open']),
    );
    await air({ hidden: true });
    expect((await look()).look?.networks.map(({ text }) => text)).not.toContain('Saltmarsh Bench');
    await air({ on: false });
    expect((await look()).look?.networks).toHaveLength(5);
  });

  it('points out names that eyes take for each other', async () => {
    await server.act({
      do: 'other-air',
      air: {
        on: true,
        ssid: 'SaItmarsh bench',
        passphrase: secret,
        bands: ['2.4 GHz'],
        hidden: false,
        apart: false,
        clients: null,
        sleepsAfter: null,
      },
    });
    const { look: heard } = await look();
    expect(heard?.networks.find(({ text }) => text === 'Saltmarsh Bench')?.lookAlikes).toEqual([
      'SaItmarsh bench',
    ]);
    await server.act({ do: 'other-air', air: null });
  });

  it('without practice, and without an adapter, there is none, and that is no error', async () => {
    const settings = await server.ok<object>('GET', '/settings/station');
    await server.ok('PUT', '/settings/station', { ...settings, practice: false });
    const { adapters } = await server.ok<AirView>('GET', '/air');
    expect(adapters.map(({ name }) => name)).not.toContain('practice0');
    expect(await server.refused('POST', '/air/look', { adapter: 'practice0' })).toMatchObject({
      code: 'adapter-missing',
    });
    await server.ok('PUT', '/settings/station', settings);
    expect(await server.refused('POST', '/air/look', { adapter: 'wlan7' })).toMatchObject({
      status: 404,
      code: 'adapter-missing',
    });
  });
});

describe('a key that is tried', () => {
  it('is right, and that lapses with any change of its network', async () => {
    const one = await shelved();
    const tried = await attempt(one);
    expect(tried).toMatchObject({
      verdict: 'right',
      current: true,
      adapter: 'practice0',
      station: 'test',
      signal: -42,
      message: `Joined, and ${network}.20 would be given.`,
    });
    const { id, version: at, secret: _state, tried: _tried, ...bare } = one;
    await server.ok(
      'PUT',
      `/networks/${id}`,
      { network: bare, secret: 'high tide at noon' },
      { 'If-Match': `"${String(at)}"` },
    );
    expect(await record(id)).toMatchObject({ verdict: 'right', current: false });
    // It is on record over a start of the program.
    await server.restart();
    expect(await record(id)).toMatchObject({ verdict: 'right', current: false });
    const changed = (await server.ok<ShelvedNetwork[]>('GET', '/networks')).find((item) => item.id === id)!;
    expect(await attempt(changed)).toMatchObject({ verdict: 'wrong-key', current: true });
  });

  const wrong: [string, Partial<Network>, object, Partial<TriedKey>][] = [
    ['another key', {}, { passphrase: 'low tide at seven!' }, { verdict: 'wrong-key' }],
    ['a capital', { ssid: 'Saltmarsh bench' }, {}, { verdict: 'not-heard' }],
    ['a network that is off', {}, { on: false }, { verdict: 'not-heard' }],
    ['a hidden one that is not said to be', {}, { hidden: true }, { verdict: 'not-heard' }],
    ['a hidden one', { hidden: true }, { hidden: true }, { verdict: 'right' }],
    ['no address left', {}, { poolSize: 0 }, { verdict: 'no-address' }],
    ['WPA3 alone', { security: 'wpa3-sae' }, {}, { verdict: 'other-security' }],
    ['no key wanted', { security: 'open' }, {}, { verdict: 'other-security' }],
  ];
  it.each(wrong)('with %s', async (_what, change, of, expected) => {
    await air(of);
    const tried = await attempt(await shelved(change, change.security === 'open' ? '' : secret));
    expect(tried).toMatchObject(expected);
    if (change.ssid !== undefined)
      expect(tried.message).toMatch(/“Saltmarsh Bench” is heard, which is another name/);
    if (tried.verdict === 'other-security') expect(tried.message).toMatch(/announces WPA2\./);
  });

  it('is not tried where there is nothing to try, or where the network was changed meanwhile', async () => {
    const bare = await server.newNetwork({});
    expect(
      await server.refused('POST', `/networks/${bare.id}/try`, { adapter: 'practice0' }, version(bare)),
    ).toMatchObject({
      code: 'key-not-there',
    });
    const short = await shelved({}, 'low');
    expect(
      await server.refused('POST', `/networks/${short.id}/try`, { adapter: 'practice0' }, version(short)),
    ).toMatchObject({ code: 'key-not-there' });
    const one = await shelved();
    expect(
      await server.refused(
        'POST',
        `/networks/${one.id}/try`,
        { adapter: 'practice0' },
        { 'If-Match': '"9"' },
      ),
    ).toMatchObject({ status: 412, code: 'network-changed' });
  });

  /** Holds the radio in the middle of a trial until it is let go. */
  function held(): { inside: Promise<void>; go: () => void } {
    const { radio } = server.domains.air.radios[0]!;
    const real = radio.tryKey.bind(radio);
    let go = (): void => undefined;
    const gate = new Promise<void>((done) => (go = done));
    const inside = new Promise<void>((reached) => {
      jest.spyOn(radio, 'tryKey').mockImplementation(async (...args) => {
        reached();
        await gate;
        return real(...args);
      });
    });
    return { inside, go };
  }
  afterEach(() => jest.restoreAllMocks());

  it('has its adapter for itself: of many at once one is tried, and the others are told so', async () => {
    const one = await shelved();
    const { inside, go } = held();
    const first = attempt(one);
    await inside;
    const path = `/networks/${one.id}/try`;
    for (const body of [{ adapter: 'practice0' }, { adapter: 'practice0', agreed: true }])
      expect(await server.refused('POST', path, body, version(one))).toMatchObject({
        status: 409,
        code: 'adapter-busy',
      });
    expect(await server.refused('POST', '/air/look', { adapter: 'practice0' })).toMatchObject({
      code: 'adapter-busy',
    });
    go();
    expect(await first).toMatchObject({ verdict: 'right' });
    expect(await server.knex('network_trial').where('network_id', one.id)).toHaveLength(1);
    expect(await attempt(one)).toMatchObject({ verdict: 'right' });
  });

  it('of a network that is taken off the shelf meanwhile leaves nothing, and says so', async () => {
    const one = await shelved();
    const { inside, go } = held();
    const going = server.refused('POST', `/networks/${one.id}/try`, { adapter: 'practice0' }, version(one));
    await inside;
    await server.ok('DELETE', `/networks/${one.id}`);
    go();
    expect(await going).toMatchObject({ status: 404, code: 'network-missing' });
    expect(await server.knex('network_trial').where('network_id', one.id)).toEqual([]);
  });

  it('of a network that is changed meanwhile counts for what was tried, not for what is there now', async () => {
    const one = await shelved();
    const { inside, go } = held();
    const going = attempt(one);
    await inside;
    const { id, version: at, secret: _state, ...bare } = one;
    await server.ok(
      'PUT',
      `/networks/${id}`,
      { network: bare, secret: 'high tide at noon' },
      { 'If-Match': `"${String(at)}"` },
    );
    go();
    expect(await going).toMatchObject({ verdict: 'right', current: false });
  });

  it('whose verdict the database refuses can be tried again: the adapter is free', async () => {
    const one = await shelved();
    await server.knex.raw(`
      create function refuse_trial() returns trigger language plpgsql as $$ begin raise exception 'full'; end $$;
      create trigger refuse_trial before insert on network_trial for each row execute function refuse_trial()`);
    const path = `/networks/${one.id}/try`;
    expect(await server.refused('POST', path, { adapter: 'practice0' }, version(one))).toMatchObject({
      status: 500,
    });
    await server.knex.raw('drop trigger refuse_trial on network_trial');
    expect(await record(one.id)).toBeUndefined();
    expect(await attempt(one)).toMatchObject({ verdict: 'right' });
  });

  it('is nowhere to be read, and the trial is in the log', async () => {
    const one = await shelved({ title: 'Kiln' });
    await attempt(one);
    const log = await server.ok<LogEntry[]>('GET', '/log');
    expect(log.find(({ text }) => text.startsWith('Network "Kiln" was tried'))?.text).toMatch(
      /^Network "Kiln" was tried with practice0: The key is right\. Joined, and \S+ would be given\. Asked for by /,
    );
    const all = JSON.stringify([log, await server.ok('GET', '/air'), await server.knex('network_trial')]);
    expect(all).not.toContain(secret);
  });
});

describe('the code of a network', () => {
  /** What an independent reader (ZBar) reads from what is drawn; octets, since it guesses alphabets otherwise. */
  const scanned = ({ modules, path }: CodePattern): string => {
    const scale = 6;
    const side = modules * scale;
    const points = Buffer.alloc(side * side, 255);
    for (const [, x, y, run] of path.matchAll(/M(\d+) (\d+)h(\d+)v1h-\d+z/g))
      for (let row = Number(y) * scale; row < (Number(y) + 1) * scale; row++)
        points.fill(0, row * side + Number(x) * scale, row * side + (Number(x) + Number(run)) * scale);
    const file = join(server.folder, 'code.pgm');
    writeFileSync(file, Buffer.concat([Buffer.from(`P5 ${String(side)} ${String(side)} 255\n`), points]));
    return execFileSync('zbarimg', ['--raw', '-q', '-Sbinary', file]).toString().trimEnd();
  };
  const code = (one: ShelvedNetwork): Promise<CodePattern> => server.ok('POST', `/networks/${one.id}/code`);

  it('is read by another reader as it was meant, with everything that has to be escaped', async () => {
    const one = await shelved({ title: 'Kiln', ssid: 'Kiln; "øst"\\:1', hidden: true }, 'a;b,c:d"e\\f low');
    const text = scanned(await code(one));
    expect(text).toBe('WIFI:T:WPA;S:Kiln\\; \\"øst\\"\\\\\\:1;P:a\\;b\\,c\\:d\\"e\\\\f low;H:true;;');
    expect(readWifiCode(text)).toMatchObject({
      secret: 'a;b,c:d"e\\f low',
      hidden: true,
      security: 'wpa2-psk',
    });
    expect(scanned(await code(await shelved({ ssid: 'cafe', security: 'open' }, '')))).toBe(
      'WIFI:T:nopass;S:"cafe";;',
    );
    const log = await server.ok<LogEntry[]>('GET', '/log');
    expect(log.find(({ text: said }) => said.startsWith('The code of network "Kiln"'))).toMatchObject({
      kind: 'revealed',
      text: expect.stringMatching(/with its key, was shown on the screen; asked for by /) as unknown,
    });
    expect(JSON.stringify(log)).not.toContain('a;b,c:d');
  });

  it('is not there where a name or a key is missing', async () => {
    const path = (one: ShelvedNetwork): string => `/networks/${one.id}/code`;
    for (const one of [await server.newNetwork({}), await shelved({ ssid: '' })])
      expect(await server.refused('POST', path(one))).toMatchObject({ code: 'key-not-there' });
  });
});

describe('what this computer has saved', () => {
  const practice = async (): Promise<SavedView['profiles']> =>
    (await server.ok<SavedView>('GET', '/air/saved')).profiles.filter(({ by }) => by === 'practice');
  const press = (): Record<string, string> => ({ 'Idempotency-Key': randomUUID() });
  const take = (id: string, key = press()): Promise<ShelvedNetwork> =>
    server.ok('POST', '/air/saved/take', { id }, key);

  it('is told without a key, and goes onto the shelf with it, sealed; its bands are those of the last look', async () => {
    await air({ bands: ['2.4 GHz', '5 GHz'] });
    await look();
    const all = await practice();
    expect(JSON.stringify(all)).not.toContain(secret);
    const shelf = await take(all[0]!.id);
    expect(JSON.stringify(shelf)).not.toContain(secret);
    expect(shelf).toMatchObject({
      ssid: 'Saltmarsh Bench',
      ssidForm: 'text',
      bands: ['2.4 GHz', '5 GHz'],
      security: 'wpa2-psk',
      country: 'DK',
      secret: { state: 'kept', faults: [] },
    });
    expect(await attempt(shelf)).toMatchObject({ verdict: 'right' });
    const [line] = (await server.ok<LogEntry[]>('GET', '/log?limit=5')).filter(({ text }) =>
      text.includes('has saved (practice), with its key'),
    );
    expect(line?.kind).toBe('network');
    expect(JSON.stringify(await server.knex('log_entry'))).not.toContain(secret);
  });

  it('of which the key lies elsewhere goes there without one; what boards cannot join is refused', async () => {
    const [, ring, staff] = await practice();
    expect(await take(ring!.id)).toMatchObject({
      ssid: 'Ferry House',
      security: 'wpa3-sae',
      secret: { state: 'missing' },
    });
    const before = (await server.ok<ShelvedNetwork[]>('GET', '/networks')).length;
    expect(await server.refused('POST', '/air/saved/take', { id: staff!.id }, press())).toMatchObject({
      status: 409,
      code: 'profile-closed',
    });
    expect(await server.refused('POST', '/air/saved/take', { id: 'practice Gone' }, press())).toMatchObject({
      status: 404,
      code: 'profile-missing',
    });
    expect(await server.ok<ShelvedNetwork[]>('GET', '/networks')).toHaveLength(before);
  });

  it('that is pressed once and sent twice goes there once; what the database refuses leaves nothing', async () => {
    const [bench] = await practice();
    const before = (await server.ok<ShelvedNetwork[]>('GET', '/networks')).length;
    const same = press();
    const [one, two] = await Promise.all([take(bench!.id, same), take(bench!.id, same)]);
    expect(two.id).toBe(one.id);
    expect(await server.ok<ShelvedNetwork[]>('GET', '/networks')).toHaveLength(before + 1);
    // At the very last word of it.
    await server.knex.raw(`
      create function refuse_line() returns trigger language plpgsql as
        $$ begin if new.text like '%has saved%' then raise exception 'full'; end if; return new; end $$;
      create trigger refuse_line before insert on log_entry for each row execute function refuse_line()`);
    const seen = await server.knex('secret');
    expect(await server.refused('POST', '/air/saved/take', { id: bench!.id }, press())).toMatchObject({
      status: 500,
    });
    await server.knex.raw('drop trigger refuse_line on log_entry');
    expect(await server.ok<ShelvedNetwork[]>('GET', '/networks')).toHaveLength(before + 1);
    expect(await server.knex('secret')).toHaveLength(seen.length);
  });
});

describe('clients that are kept apart', () => {
  it('are told by the trial, and the network says so until it is said on the shelf', async () => {
    const one = await shelved();
    await air({ apart: true });
    expect(await attempt(one)).toMatchObject({ verdict: 'apart', current: true });
    await air({ apart: false });
    expect(await attempt(one)).toMatchObject({ verdict: 'right' });
  });
});
