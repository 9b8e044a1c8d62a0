import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  emptyDescription,
  emptyEntry,
  emptyFile,
  shippedLabelSizes,
  type Batch,
  type BatchProgress,
  type Image,
  type OwnDescription,
  type Proposal,
  type ShelvedNetwork,
  type Watch,
} from '@nest-mark/core';
import type { SavedView } from '@nest-mark/core/api';
import { isSafe } from '../src/platform/http/route';
import { begin, beginHeaders, pieceHeaders, sendAll } from './helpers/sending';
import { baseImage, TestServer, tankPlan, endpoints } from './helpers/server';
import { many } from '../../core/test/helpers/soak';

/**
 * Every route that changes something is called twice and eight times at once, with what it takes. What must hold
 * afterwards is stated for each; a route that is not listed fails the test.
 */

const network = '127.61.28';
let server: TestServer;
let image: Image;
let batch: Batch;

beforeAll(async () => {
  server = await TestServer.start(network, { terminals: true });
  image = await server.shelve(baseImage);
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  batch = await server.batch(tankPlan(6, image.id, network));
});
afterAll(() => server.end());

/** Nobody listens. */
const quiet = async (): Promise<void> => {
  await server.until(async () => {
    const open = await server.domains.runs.repository.open('test');
    const watches = open.filter(({ kind }) => kind === 'watch');
    for (const { id } of watches) await server.call('POST', `/watches/${id}/stop`);
    return watches.length === 0 ? true : null;
  });
};

const count = async (table: string, where: object = {}): Promise<number> =>
  Number((await server.knex(table).where(where).count())[0]!['count']);

interface Call {
  method: string;
  path: string;
  body?: unknown;
  headers?: Record<string, string>;
}

interface Case {
  /** Makes what is asked for afresh. */
  call(): Promise<Call> | Call;
  /** What must hold after `times` of them at once, given how many were answered well. */
  holds(good: number, times: number, asked: Call): Promise<void> | void;
}

const putBatch = async (change: Partial<Batch['plan']>): Promise<Call> => {
  const now = await server.ok<Batch>('GET', `/batches/${batch.id}`);
  return {
    method: 'PUT',
    path: `/batches/${batch.id}`,
    body: { plan: { ...now.plan, ...change }, secrets: {} },
    headers: { 'If-Match': `"${String(now.version)}"` },
  };
};
const proposal = (): Promise<Proposal> => server.ok('GET', `/batches/${batch.id}/next-round`);
let next = 0;
/** A fresh card in the first slot. */
async function freshCard(): Promise<Proposal['cards'][number]> {
  await server.until(async () => {
    const { cards } = await proposal();
    return cards[0]!.refusal?.includes('round') || cards[0]!.refusal?.includes('capacity') ? null : true;
  });
  await server.act({ do: 'pullIdle' });
  await server.act({
    do: 'insert',
    cardId: `card-${String((next++ % 15) + 1).padStart(2, '0')}`,
    slotId: 'slot-1',
  });
  return (await proposal()).cards[0]!;
}
const settle = (): Promise<unknown> =>
  server.until(async () => {
    const { rounds } = await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`);
    return rounds.some(({ state }) => state === 'queued' || state === 'running') ? null : true;
  });
const all = (good: number, times: number): void => expect(good).toBe(times);
const one = (good: number): void => expect(good).toBe(1);
const none = (good: number): void => expect(good).toBe(0);
const device = (): string => batch.plan.devices[0]!.id;
const path = (text: string): string => text.replace('{batch}', batch.id).replace('{device}', device());
const plain = (method: string, where: string, body?: unknown): Call => ({
  method,
  path: path(where),
  ...(body === undefined ? {} : { body }),
});
const newNetwork = (): Promise<ShelvedNetwork> =>
  server.newNetwork({ title: `n${String(next++)}` }, 'low tide at seven');

const description: OwnDescription = {
  ...emptyDescription('Board file'),
  files: [
    { ...emptyFile(), path: 'board.cfg', entries: [{ ...emptyEntry(), key: 'name', value: '<<hostName>>' }] },
  ],
};

/** Somebody listened, and one host was heard. */
const heardOnce = async (): Promise<void> => {
  await quiet();
  await server.ok('POST', `/batches/${batch.id}/clues`, {
    text: `${network}.77 dev eth0 lladdr 02:00:5e:00:53:77 STALE`,
    source: 'table',
    port: 2222,
  });
  await quiet();
};

/** A batch of its own with one board that was proved at an address where nobody is any more. */
const provedAway = async (): Promise<Batch> => {
  const made = await server.batch(tankPlan(1, image.id, network));
  const [record] = await server.domains.plans.repository.records(made.id);
  const search = { id: randomUUID(), batchId: made.id, subnet: `${network}.200/32`, port: 2222 };
  await server.knex.transaction(async (db) => {
    await server
      .knex('run')
      .transacting(db)
      .insert({ id: search.id, kind: 'search', station: 'test', batch_id: made.id, state: 'done' });
    await server.knex('run_item').transacting(db).insert({
      run_id: search.id,
      subject: search.subnet,
      position: 1,
      kind: 'search',
      station: 'test',
      state: 'done',
    });
    await server.domains.finding.repository.create(search, db);
  });
  await server.domains.finding.repository.addSightings(search, [
    {
      address: `${network}.200`,
      port: 2222,
      hardwareAddress: null,
      banner: null,
      hostKey: record!.hostKey,
      keyProven: true,
    },
  ]);
  return made;
};
const bringUp = (of: Batch): Call => ({
  method: 'POST',
  path: `/batches/${of.id}/bring-up`,
  body: { deviceIds: [of.plan.devices[0]!.id], way: 'bench-key' },
});

/** A move of a batch whose board was proved at an address where nobody is any more. */
const moveAway = async (): Promise<{ made: Batch; id: string; version: number; plan: object }> => {
  const made = await provedAway();
  const to = await newNetwork();
  const { id, version, plan } = await server.ok<{ id: string; version: number; plan: object }>(
    'POST',
    `/batches/${made.id}/move`,
    { plan: { fromId: made.plan.networks[0]!.networkId, toId: to.id, bench: 'old' } },
  );
  return { made, id, version, plan };
};
const startOf = (made: Batch, id: string): Call => ({
  method: 'POST',
  path: `/moves/${id}/start`,
  body: { deviceIds: [made.plan.devices[0]!.id], way: 'bench-key', version: 1 },
});
const stopMove = async (id: string): Promise<void> => {
  await server.call('POST', `/moves/${id}/stop`);
  await server.until(async () =>
    (await count('run', { kind: 'move', state: 'queued' })) +
      (await count('run', { kind: 'move', state: 'running' })) ===
    0
      ? true
      : null,
  );
};

/** A batch with a trip to where nobody answers. */
const tripAway = async (): Promise<{ id: string; version: number }> => {
  const made = await provedAway();
  const to = await server.newNetwork(
    { title: `far${String(next++)}`, subnet: `${network.replace(/\d+$/, '29')}.0/30` },
    'low tide at seven',
  );
  const { version } = await server.ok<{ version: number }>(
    'PUT',
    `/batches/${made.id}/field`,
    { plan: { networkId: to.id } },
    { 'If-Match': '"0"' },
  );
  return { id: made.id, version };
};
const openTries = (id: string): Promise<number> => count('rehearsal', { batch_id: id, ended_at: null });
const endTries = async (id: string): Promise<void> => {
  for (const row of await server.knex('rehearsal').where('batch_id', id).whereNull('ended_at').select('id'))
    await server.call('POST', `/rehearsals/${String(row['id'])}/end`);
  await server.until(async () => ((await openTries(id)) === 0 ? true : null));
};

const cases: Record<string, Case> = {
  'put /batches/:id/field': {
    call: async () => {
      const { id, version } = await tripAway();
      return {
        method: 'PUT',
        path: `/batches/${id}/field`,
        body: { plan: { minutes: 5 } },
        headers: { 'If-Match': `"${String(version)}"` },
      };
    },
    holds: one,
  },
  'post /batches/:id/rehearsals': {
    call: async () => {
      const { id, version } = await tripAway();
      return plain('POST', `/batches/${id}/rehearsals`, { purpose: 'rehearsal', version });
    },
    // A batch rehearses once at a time: the database refuses the others, and nothing of theirs is left.
    holds: async (good, _times, { path: where }) => {
      expect(good).toBe(1);
      const id = where.split('/')[2]!;
      expect(await count('rehearsal', { batch_id: id })).toBe(1);
      await endTries(id);
    },
  },
  'post /rehearsals/:id/end': {
    call: async () => {
      const { id, version } = await tripAway();
      const { rehearsals } = await server.ok<{ rehearsals: { id: string }[] }>(
        'POST',
        `/batches/${id}/rehearsals`,
        { purpose: 'rehearsal', version },
      );
      return plain('POST', `/rehearsals/${rehearsals[0]!.id}/end`);
    },
    holds: async (good, _times, { path: where }) => {
      expect(good).toBeGreaterThan(0);
      const id = where.split('/')[2]!;
      await server.until(async () =>
        (await count('rehearsal', { id, ended_at: null })) === 0 ? true : null,
      );
      expect(await count('rehearsal', { id, passed: false })).toBe(1);
    },
  },
  'put /batches/:id/field/ticks/:check': {
    call: () => plain('PUT', '/batches/{batch}/field/ticks/phone', { ticked: true }),
    holds: async (good, times) => {
      all(good, times);
      expect(await count('field_tick', { batch_id: batch.id, check_id: 'phone' })).toBe(1);
    },
  },
  'delete /batches/:id/field/ticks': {
    call: () => plain('DELETE', '/batches/{batch}/field/ticks'),
    holds: async (good, times) => {
      all(good, times);
      expect(await count('field_tick', { batch_id: batch.id })).toBe(0);
    },
  },
  'post /batches/:id/visits': {
    call: async () => {
      const { id } = await tripAway();
      const [one] = (await server.ok<Batch>('GET', `/batches/${id}`)).plan.devices;
      return plain('POST', `/batches/${id}/visits`, { deviceId: one!.id, note: 'Well.', volts: null });
    },
    // With a key of its own each is a visit of its own.
    holds: async (good, times, { path: where }) => {
      all(good, times);
      expect(await count('field_visit', { batch_id: where.split('/')[2]! })).toBe(times);
    },
  },
  'post /batches/:id/field/bundle': {
    call: () => plain('POST', '/batches/{batch}/field/bundle', { passphrase: null }),
    holds: async (good, times) => {
      all(good, times);
      expect(await count('field_bundle', { batch_id: batch.id })).toBe(1);
    },
  },
  'post /batches/:id/move': {
    call: async () => plain('POST', `/batches/${(await provedAway()).id}/move`, { plan: {} }),
    holds: async (good, _times, { path: where }) => {
      expect(good).toBe(1);
      expect(await count('move', { batch_id: where.split('/')[2]! })).toBe(1);
    },
  },
  'put /moves/:id': {
    call: async () => {
      const { id, version, plan } = await moveAway();
      return {
        method: 'PUT',
        path: `/moves/${id}`,
        body: { plan: { ...plan, groupSize: 2 } },
        headers: { 'If-Match': `"${String(version)}"` },
      };
    },
    holds: one,
  },
  'post /moves/:id/put-away': {
    call: async () => plain('POST', `/moves/${(await moveAway()).id}/put-away`),
    holds: one,
  },
  'post /moves/:id/start': {
    call: async () => {
      const { made, id } = await moveAway();
      return startOf(made, id);
    },
    // A batch moves once at a time: the database refuses the others.
    holds: async (good, _times, { path: where }) => {
      expect(good).toBe(1);
      await stopMove(where.split('/')[2]!);
    },
  },
  'post /moves/:id/stop': {
    call: async () => {
      const { made, id } = await moveAway();
      const call = startOf(made, id);
      await server.ok(call.method, call.path, call.body);
      return { method: 'POST', path: `/moves/${id}/stop` };
    },
    holds: async (good, _times, { path: where }) => {
      expect(good).toBeGreaterThan(0);
      await stopMove(where.split('/')[2]!);
    },
  },
  'post /batches/:id/bring-up': {
    call: async () => bringUp(await provedAway()),
    // A board is brought up by one at a time: the database refuses the others.
    holds: async (good, _times, { path: where }) => {
      const batchId = where.split('/')[2]!;
      expect(good).toBe(1);
      expect(await count('run', { kind: 'bring-up', batch_id: batchId })).toBe(1);
      await server.ok('POST', `/batches/${batchId}/bring-up/stop`);
      await server.until(async () =>
        (await server.knex('run').where({ kind: 'bring-up', batch_id: batchId }).first<{ state: string }>())
          .state === 'cancelled'
          ? true
          : null,
      );
    },
  },
  'post /batches/:id/bring-up/stop': {
    call: async () => {
      const made = await provedAway();
      const call = bringUp(made);
      await server.ok(call.method, call.path, call.body);
      return { method: 'POST', path: `/batches/${made.id}/bring-up/stop` };
    },
    holds: async (good, _times, { path: where }) => {
      expect(good).toBeGreaterThan(0);
      const batchId = where.split('/')[2]!;
      const state = await server.until(async () => {
        const run = await server
          .knex('run')
          .where({ kind: 'bring-up', batch_id: batchId })
          .first<{ state: string }>();
        return ['queued', 'running'].includes(run.state) ? null : run.state;
      });
      expect(state).toBe('cancelled');
    },
  },
  'post /batches/:id/devices/:deviceId/terminal': {
    call: async () => {
      const made = await provedAway();
      return {
        method: 'POST',
        path: `/batches/${made.id}/devices/${made.plan.devices[0]!.id}/terminal`,
        body: { way: 'bench-key', columns: 80, rows: 24 },
      };
    },
    // The board is away, so there is none; and none of them keeps its place.
    holds: (good, _times, { path: where }) => {
      expect(good).toBe(0);
      const deviceId = where.split('/')[4]!;
      expect(server.domains.terminals.open.reserve(deviceId)).toBeNull();
      server.domains.terminals.open.release(deviceId);
    },
  },
  'post /batches/:id/bring-up/:deviceId/skips': {
    call: () =>
      plain('POST', `/batches/{batch}/bring-up/${batch.plan.devices[1]!.id}/skips`, {
        stepId: 'health',
        reason: 'known',
      }),
    holds: async () => {
      const where = { device_id: batch.plan.devices[1]!.id, step_id: 'health' };
      expect(await server.knex('skipped_step').where(where)).toMatchObject([{ reason: 'known' }]);
      await server.knex('skipped_step').where(where).delete();
    },
  },
  'post /batches': {
    call: () => plain('POST', '/batches', { plan: tankPlan(2, null, network), secrets: {} }),
    // Its devices and their marks are one set: a second batch cannot have them.
    holds: one,
  },
  'put /batches/:id': {
    call: () => putBatch({ site: `shed ${String(next++)}` }),
    holds: one,
  },
  'post /batches/:id/reveal': {
    call: () => plain('POST', '/batches/{batch}/reveal', { kind: 'userPassword', deviceId: device() }),
    holds: async (good, times) => {
      all(good, times);
      expect(await count('secret', { owner_id: device(), kind: 'userPassword' })).toBe(1);
    },
  },
  'post /batches/:id/plan-file': {
    call: () => plain('POST', '/batches/{batch}/plan-file', { passphrase: null }),
    holds: all,
  },
  'post /plan-files': {
    call: async () => {
      const file = await server.ok('POST', `/batches/${batch.id}/plan-file`, { passphrase: null });
      return plain('POST', '/plan-files', { file: JSON.stringify(file), passphrase: null });
    },
    // Each makes a batch of its own; nothing is shared among them, and no mark comes twice.
    holds: async (good) => {
      expect(good).toBeGreaterThan(0);
      const { rows } = await server.knex.raw<{ rows: unknown[] }>(
        'select mark from device group by mark having count(*) > 1',
      );
      expect(rows).toEqual([]);
    },
  },
  ...Object.fromEntries(
    (['powered', 'carrier-done', 'handed-over'] as const).map((verb) => [
      `post /batches/:id/${verb}`,
      {
        call: () => plain('POST', `/batches/{batch}/${verb}`, { deviceIds: [device()] }),
        holds: all,
      } satisfies Case,
    ]),
  ),
  // Nobody of its batch was proved; several at once of some that were: hand-over.spec and exposure.spec.
  'post /batches/:id/taken-over': {
    call: async () => {
      const { id, plan } = await server.batch(tankPlan(1, null, network));
      return plain('POST', `/batches/${id}/taken-over`, {
        deviceIds: [plan.devices[0]!.id],
        by: 'Mara',
        forget: true,
      });
    },
    holds: async (good, _times, asked) => {
      none(good);
      const [id] = (asked.body as { deviceIds: string[] }).deviceIds;
      expect(await count('device', { id, taken_over_by: null, secrets_forgotten_at: null })).toBe(1);
    },
  },
  // It is in the plan; of one that is retired: hand-over.spec.
  'post /batches/:id/devices/:deviceId/retirement': {
    call: () =>
      plain('POST', '/batches/{batch}/devices/{device}/retirement', { reason: 'worn', forget: true }),
    holds: none,
  },
  'post /batches/:id/exposure': {
    call: () => plain('POST', '/batches/{batch}/exposure', { deviceIds: [device()], way: null }),
    holds: none,
  },
  'post /batches/:id/exposure/stop': {
    call: () => plain('POST', '/batches/{batch}/exposure/stop'),
    holds: none,
  },
  'post /batches/:id/hand-over/known-hosts/look': {
    call: () =>
      plain('POST', '/batches/{batch}/hand-over/known-hosts/look', {
        path: join(server.folder, 'known_hosts'),
        hashed: false,
      }),
    holds: all,
  },
  'post /batches/:id/hand-over/known-hosts/merge': {
    call: () =>
      plain('POST', '/batches/{batch}/hand-over/known-hosts/merge', {
        path: join(server.folder, `known_hosts.${String(next++)}`),
        hashed: false,
        digest: null,
      }),
    // Of several that looked at the same file one merges; each device has one line.
    holds: (good, _times, asked) => {
      one(good);
      const text = readFileSync((asked.body as { path: string }).path, 'utf8');
      const marks = text
        .trim()
        .split('\n')
        .map((line) => line.split(' ').at(-1));
      expect(new Set(marks).size).toBe(marks.length);
    },
  },
  ...Object.fromEntries(
    (['labels', 'labels.pdf'] as const).map((what) => [
      `post /batches/:id/hand-over/${what}`,
      {
        call: () =>
          plain('POST', `/batches/{batch}/hand-over/${what}`, {
            size: shippedLabelSizes[0],
            firstFree: 1,
            what: ['board'],
            code: 'mark',
            origin: null,
            deviceIds: null,
          }),
        holds: all,
      } satisfies Case,
    ]),
  ),
  // Nobody logs in to this batch by a password.
  'post /batches/:id/hand-over/credentials': {
    call: () => plain('POST', '/batches/{batch}/hand-over/credentials', { form: 'table', deviceIds: null }),
    holds: none,
  },
  // Its plan has no VPN; several files at once of one that has: vpn.spec.
  'post /batches/:id/hand-over/vpn': {
    call: () => plain('POST', '/batches/{batch}/hand-over/vpn', { deviceId: null }),
    holds: none,
  },
  'post /label-sizes': {
    call: () => plain('POST', '/label-sizes', { ...shippedLabelSizes[0], title: `Sheet ${String(next++)}` }),
    holds: async (good, times, asked) => {
      all(good, times);
      expect(await count('label_size', { title: (asked.body as { title: string }).title })).toBe(1);
    },
  },
  'delete /label-sizes/:id': {
    call: async () => {
      const size = { ...shippedLabelSizes[0], title: `Sheet ${String(next++)}` };
      const { id } = await server.ok<{ id: string }>('POST', '/label-sizes', size);
      return plain('DELETE', `/label-sizes/${id}`);
    },
    holds: one,
  },
  'post /networks': {
    call: () =>
      plain('POST', '/networks', {
        network: { ...bare(), title: `twice ${String(next++)}` },
        secret: 'low tide at seven',
      }),
    holds: async (good, times, asked) => {
      all(good, times);
      const { title } = (asked.body as { network: { title: string } }).network;
      const rows = await server.knex('network').whereRaw(`network->>'title' = ?`, [title]);
      expect(rows).toHaveLength(times);
    },
  },
  'post /air/look': {
    call: () => plain('POST', '/air/look', { adapter: 'practice0' }),
    // The adapter listens for one at a time; the others are told so.
    holds: (good) => expect(good).toBeGreaterThan(0),
  },
  'post /air/saved/take': {
    call: async () => {
      const { profiles } = await server.ok<SavedView>('GET', '/air/saved');
      return plain('POST', '/air/saved/take', { id: profiles.find(({ by }) => by === 'practice')!.id });
    },
    // With a key of its own each is a network of its own, as when a form is sent twice.
    holds: all,
  },
  'post /batches/:id/signal': {
    call: async () => {
      const { id: networkId } = await server.newNetwork({ ssid: 'Saltmarsh Bench' }, 'low tide at seven');
      const { id } = await server.batch({
        ...tankPlan(1, null, network),
        networks: [{ networkId, priority: 10 }],
      });
      return plain('POST', `/batches/${id}/signal`, {
        sensor: 'adapter',
        place: 'Tank hall',
        adapter: 'practice0',
      });
    },
    // The adapter listens for one at a time; the others are told so.
    holds: async (good, _times, { path: where }) => {
      expect(good).toBeGreaterThan(0);
      expect(await count('signal_reading', { batch_id: where.split('/')[2]! })).toBe(good);
    },
  },
  'post /batches/:id/signal/forget': {
    call: async () => {
      const { id: networkId } = await server.newNetwork({ ssid: 'Saltmarsh Bench' }, 'low tide at seven');
      const { id } = await server.batch({
        ...tankPlan(1, null, network),
        networks: [{ networkId, priority: 10 }],
      });
      const at = `/batches/${id}/signal`;
      const walk = { sensor: 'adapter', place: 'Tank hall', adapter: 'practice0' };
      await server.ok('POST', at, walk, { 'Idempotency-Key': `walk-${String(next++)}-${id}` });
      return plain('POST', `${at}/forget`, { place: 'Tank hall' });
    },
    holds: async (good, _times, { path: where }) => {
      expect(good).toBe(1);
      expect(await count('signal_reading', { batch_id: where.split('/')[2]! })).toBe(0);
    },
  },
  'post /networks/:id/try': {
    call: async () => {
      const { id, version } = await server.newNetwork({ title: `n${String(next++)}` }, 'low tide at nine');
      return {
        method: 'POST',
        path: `/networks/${id}/try`,
        body: { adapter: 'practice0' },
        headers: { 'If-Match': `"${String(version)}"` },
      };
    },
    holds: async (good, _times, { path: where }) => {
      expect(good).toBeGreaterThan(0);
      expect(await count('network_trial', { network_id: where.split('/')[2]! })).toBe(good);
    },
  },
  'post /networks/:id/code': {
    call: async () => plain('POST', `/networks/${(await newNetwork()).id}/code`),
    holds: all,
  },
  'put /networks/:id': {
    call: async () => {
      const { id, version, secret: _secret, ...rest } = await newNetwork();
      return {
        method: 'PUT',
        path: `/networks/${id}`,
        body: { network: { ...rest, title: 'other' } },
        headers: { 'If-Match': `"${String(version)}"` },
      };
    },
    holds: one,
  },
  'delete /networks/:id': {
    call: async () => plain('DELETE', `/networks/${(await newNetwork()).id}`),
    holds: async (good, _times, asked) => {
      expect(good).toBeGreaterThan(0);
      const id = asked.path.split('/').at(-1)!;
      expect([await count('network', { id }), await count('secret', { owner_id: id })]).toEqual([0, 0]);
    },
  },
  'post /networks/:id/reveal': {
    call: async () => plain('POST', `/networks/${(await newNetwork()).id}/reveal`),
    holds: all,
  },
  'put /boards/:id': {
    call: async () => {
      const [board] = await server.ok<{ id: string; origin: string; version: number }[]>('GET', '/boards');
      const { origin: _origin, version, ...rest } = board!;
      return {
        method: 'PUT',
        path: `/boards/${board!.id}`,
        body: { board: rest },
        headers: { 'If-Match': `"${String(version)}"` },
      };
    },
    holds: one,
  },
  'delete /boards/:id': {
    call: async () => {
      const [board] = await server.ok<{ id: string }[]>('GET', '/boards');
      return plain('DELETE', `/boards/${board!.id}`);
    },
    holds: (good) => expect(good).toBeLessThanOrEqual(8),
  },
  'put /methods/:id': {
    call: () => ({
      method: 'PUT',
      path: `/methods/${randomUUID()}`,
      body: { description },
      headers: { 'If-Match': '"0"' },
    }),
    holds: one,
  },
  'delete /methods/:id': {
    call: async () => {
      const id = randomUUID();
      await server.ok('PUT', `/methods/${id}`, { description }, { 'If-Match': '"0"' });
      return plain('DELETE', `/methods/${id}`);
    },
    holds: one,
  },
  'post /checks/method': {
    call: () =>
      plain('POST', '/checks/method', {
        description,
        imageId: image.id,
        batchId: batch.id,
        deviceId: batch.plan.devices[0]!.id,
      }),
    holds: all,
  },
  'post /keys': {
    call: () => plain('POST', '/keys', { type: 'ed25519', comment: 'a', passphrase: '' }),
    holds: all,
  },
  'post /images': {
    call: () => plain('POST', '/images', { path: baseImage, title: `again ${String(next++)}`, sha256: '' }),
    // The same octets stay on the shelf once, however often they are added.
    holds: async () => {
      await server.until(async () => ((await count('image', { state: 'checking' })) === 0 ? true : null));
      expect(await count('image', { state: 'ready' })).toBe(1);
    },
  },
  'put /images/:id/about': {
    call: () =>
      plain('PUT', `/images/${image.id}/about`, {
        title: 'Practice',
        about: { wordBits: 64, flavour: 'minimal', chosenMethod: null },
      }),
    holds: all,
  },
  // Nobody is at it, and it came from no address; several stops of one that is fetched: from-address.spec.
  'post /images/:id/stop': { call: () => plain('POST', `/images/${image.id}/stop`), holds: none },
  'post /images/:id/newer': { call: () => plain('POST', `/images/${image.id}/newer`), holds: none },
  'delete /images/:id': {
    call: async () => {
      const [failed] = await server.knex('image').where({ state: 'failed' }).select('id');
      return plain('DELETE', `/images/${failed?.id ?? image.id}`);
    },
    holds: async (good, _times, asked) => {
      const id = asked.path.split('/').at(-1)!;
      expect(await count('image', { id })).toBe(good > 0 ? 0 : 1);
      expect(await count('image', { id: image.id })).toBe(1);
    },
  },
  'post /uploads': {
    call: () => ({
      method: 'POST',
      path: '/uploads',
      headers: beginHeaders({ filename: `u${String(next++)}.img`, size: 9, modified: 1 }),
    }),
    holds: async (good, times) => {
      all(good, times);
      expect(await count('upload', { name: `u${String(next - 1)}.img` })).toBe(1);
    },
  },
  'patch /uploads/:id': {
    call: async () => {
      const bytes = readFileSync(baseImage);
      const id = await begin(server, { filename: `p${String(next++)}.img`, size: bytes.length });
      return {
        method: 'PATCH',
        path: `/uploads/${id}`,
        body: bytes.subarray(0, 8 << 20),
        headers: pieceHeaders(0),
      };
    },
    holds: async (good, _times, asked) => {
      expect(good).toBeGreaterThan(0);
      const id = asked.path.split('/').at(-1)!;
      // On a busy machine whoever waits cuts the one before off, who goes on by asking where it stands.
      // What arrived is what was sent: by its digest it is known to be the image of these tests.
      const image = await sendAll(server, id, readFileSync(baseImage));
      expect(image.message).toContain('on the shelf already');
      expect(await count('image', { upload_id: id })).toBe(1);
    },
  },
  'delete /uploads/:id': {
    call: async () => {
      const id = await begin(server, { filename: `d${String(next++)}`, size: 9 });
      return { method: 'DELETE', path: `/uploads/${id}`, headers: { 'Tus-Resumable': '1.0.0' } };
    },
    holds: one,
  },
  'post /batches/:id/remembered': {
    call: async () => {
      await heardOnce();
      return plain('POST', '/batches/{batch}/remembered');
    },
    holds: async (good) => {
      expect(good).toBeGreaterThan(0);
      expect(await server.knex('remembered').where('batch_id', batch.id)).toHaveLength(1);
    },
  },
  'delete /batches/:id/remembered': {
    call: () => plain('DELETE', '/batches/{batch}/remembered'),
    holds: async () => expect(await server.knex('remembered').where('batch_id', batch.id)).toHaveLength(0),
  },
  'post /batches/:id/namings': {
    call: async () => {
      await heardOnce();
      const deviceId = batch.plan.devices[0]!.id;
      return plain('POST', '/batches/{batch}/namings', { deviceId, hardwareAddress: '02:00:5e:00:53:77' });
    },
    holds: async () => {
      const rows = await server.knex('named_board').where('hardware_address', '02:00:5e:00:53:77');
      expect(rows).toHaveLength(1);
      expect(rows[0]).toMatchObject({ device_id: batch.plan.devices[0]!.id });
    },
  },
  'post /batches/:id/rounds': {
    call: async () => {
      const { medium } = await freshCard();
      const cards = [{ slotId: 'slot-1', deviceId: device(), identity: medium!.identity }];
      return plain('POST', '/batches/{batch}/rounds', { cards, confirm: 'erase 1', lookedAt: Date.now() });
    },
    holds: async (good) => {
      one(good);
      await settle();
      const { rows } = await server.knex.raw<{ rows: unknown[] }>(
        `select device_id from run_item where state in ('queued', 'running') and device_id is not null group by device_id having count(*) > 1`,
      );
      expect(rows).toEqual([]);
    },
  },
  'post /rounds/:id/resume': {
    call: async () => {
      await server.act({ do: 'pace', bootSeconds: 0, slotRate: 2e6 });
      const { medium } = await freshCard();
      const cards = [{ slotId: 'slot-1', deviceId: device(), identity: medium!.identity }];
      const { id } = await server.ok<{ id: string }>('POST', `/batches/${batch.id}/rounds`, {
        cards,
        confirm: 'erase 1',
        lookedAt: Date.now(),
      });
      await server.at(id);
      await server.ok('POST', `/rounds/${id}/cancel`);
      await settle();
      await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
      return plain('POST', `/rounds/${id}/resume`, {
        confirm: 'erase 1',
        lookedAt: Date.now(),
        media: await server.looked(batch.id),
      });
    },
    holds: async (good) => {
      one(good);
      await settle();
    },
  },
  'post /rounds/:id/pause': {
    call: () => plain('POST', '/rounds/00000000-0000-4000-8000-000000000000/pause', { paused: true }),
    holds: none,
  },
  'post /rounds/:id/cancel': {
    call: () => plain('POST', '/rounds/00000000-0000-4000-8000-000000000000/cancel'),
    holds: none,
  },
  'put /cards/:key': {
    call: async () => {
      await server.domains.cards.repository.seen('p51a7', 'a card', 32e9);
      return plain('PUT', `/cards/p51a7`, { note: 'n', retired: false });
    },
    holds: all,
  },
  'post /cards/capacity-check': {
    call: async () => {
      const { medium } = await freshCard();
      return plain('POST', '/cards/capacity-check', {
        slotId: 'slot-1',
        identity: medium!.identity,
        confirm: 'erase this card',
        what: 'restore',
      });
    },
    holds: one,
  },
  'post /cards/:key/stop': { call: () => plain('POST', '/cards/p51a7/stop'), holds: none },
  'post /slots/:id/check': {
    call: async () => {
      const { medium } = await freshCard();
      return plain('POST', '/slots/slot-1/check', { identity: medium!.identity });
    },
    holds: (good) => expect(good).toBeLessThanOrEqual(8),
  },
  'post /slots/:id/files': {
    call: async () => {
      const { medium } = await freshCard();
      return plain('POST', '/slots/slot-1/files', { identity: medium!.identity });
    },
    holds: (good) => expect(good).toBeLessThanOrEqual(8),
  },
  'post /slots/:id/mend': {
    call: async () => {
      const { medium } = await freshCard();
      return plain('POST', '/slots/slot-1/mend', {
        identity: medium!.identity,
        id: 'x',
        file: 'y',
        line: null,
      });
    },
    holds: none,
  },
  'post /slots/:id/settings': {
    call: async () => {
      const { medium } = await freshCard();
      return plain('POST', '/slots/slot-1/settings', { identity: medium!.identity });
    },
    // A fresh card is nobody’s.
    holds: none,
  },
  'post /slots/:id/release': { call: () => plain('POST', '/slots/slot-4/release'), holds: none },
  'post /slots/:id/try': { call: () => plain('POST', '/slots/slot-4/try'), holds: none },
  'post /slots/:id/eject': { call: () => plain('POST', '/slots/slot-4/eject'), holds: all },
  'post /checks/path': { call: () => plain('POST', '/checks/path', { path: baseImage }), holds: none },
  'post /checks/path/files': {
    call: () => plain('POST', '/checks/path/files', { path: baseImage }),
    holds: none,
  },
  'post /checks/compare': {
    call: () =>
      plain('POST', '/checks/compare', {
        names: [],
        files: [],
        label: '',
        bootedAs: null,
        bootedWith: null,
        mountedAt: null,
        elsewhere: [],
      }),
    holds: all,
  },
  'put /settings/station': {
    call: async () => plain('PUT', '/settings/station', await server.ok('GET', '/settings/station')),
    holds: async (good, times) => {
      all(good, times);
      expect(await count('setting', { name: 'station test' })).toBe(1);
    },
  },
  'post /batches/:id/searches': {
    call: async () => {
      await server.until(async () => {
        const open = await server.domains.runs.repository.open('test');
        return open.some(({ kind }) => kind === 'search') ? null : true;
      });
      return plain('POST', '/batches/{batch}/searches', { subnet: `${network}.0/24`, port: 2222 });
    },
    holds: one,
  },
  'post /searches/:id/cancel': {
    call: () => plain('POST', '/searches/00000000-0000-4000-8000-000000000000/cancel'),
    holds: none,
  },
  'post /batches/:id/watches': {
    call: async () => {
      await quiet();
      return plain('POST', '/batches/{batch}/watches', {
        sources: ['multicast'],
        places: ['practice'],
        port: 2222,
      });
    },
    holds: one,
  },
  'post /watches/:id/stop': {
    call: async () => {
      await quiet();
      const { id } = await server.ok<Watch>('POST', `/batches/${batch.id}/watches`, {
        sources: ['neighbours'],
        places: ['practice'],
        port: 2222,
      });
      await server.at(id);
      return plain('POST', `/watches/${id}/stop`);
    },
    // Whoever asks again finds it going on still, or ended.
    holds: (good) => {
      expect(good).toBeGreaterThan(0);
    },
  },
  'post /batches/:id/clues/preview': {
    call: () => plain('POST', '/batches/{batch}/clues/preview', { text: `${network}.9` }),
    holds: all,
  },
  'post /batches/:id/clues': {
    call: async () => {
      await quiet();
      return plain('POST', '/batches/{batch}/clues', { text: `${network}.9`, source: 'hand', port: 2222 });
    },
    // All of them go to one listening, or to the next one: no address is lost, and none is kept twice.
    holds: async (good) => {
      expect(good).toBeGreaterThan(0);
      await quiet();
      const kept = await server
        .knex('clue')
        .where({ address: `${network}.9` })
        .select('run_id');
      expect(new Set(kept.map(({ run_id: run }) => run as string)).size).toBe(kept.length);
    },
  },
  'post /batches/:id/cases/answers': {
    call: () =>
      plain('POST', '/batches/{batch}/cases/answers', {
        deviceIds: [device()],
        check: 'same-network',
        answer: 'no',
      }),
    // Each is kept, and the newest one counts; who said it is told by the log.
    holds: async (good, times) => {
      all(good, times);
      expect(await count('fault_answer', { check_id: 'same-network' })).toBe(times);
      await server.knex('fault_answer').del();
    },
  },
  'post /batches/:id/cases/answers/take-back': {
    call: async () => {
      await server.ok('POST', `/batches/${batch.id}/cases/answers`, {
        deviceIds: [device()],
        check: 'name-heard',
        answer: 'no',
      });
      return plain('POST', '/batches/{batch}/cases/answers/take-back', {
        deviceIds: [device()],
        check: 'name-heard',
      });
    },
    holds: one,
  },
  'post /batches/:id/cases/mends': {
    call: () =>
      plain('POST', '/batches/{batch}/cases/mends', {
        deviceIds: [device()],
        cause: 'hidden',
        inVain: true,
      }),
    holds: async (good, times) => {
      all(good, times);
      // That it did not help is no reason to look for it again.
      expect(await count('fault_mend', { batch_id: batch.id, in_vain_at: null })).toBe(0);
    },
  },
  'post /batches/:id/devices/:deviceId/files': {
    call: () => plain('POST', '/batches/{batch}/devices/{device}/files', { reveal: true }),
    holds: async (good, times) => {
      all(good, times);
      expect(await count('secret', { owner_id: device(), kind: 'hostKeySeed' })).toBe(1);
    },
  },
  'post /batches/:id/devices/:deviceId/export': {
    call: () => plain('POST', '/batches/{batch}/devices/{device}/export', { form: 'files' }),
    holds: all,
  },
  'post /practice/actions': {
    call: async () => {
      await server.act({ do: 'pullIdle' });
      return plain('POST', '/practice/actions', { do: 'insert', cardId: 'card-16', slotId: 'slot-3' });
    },
    holds: one,
  },
};

const bare = (): object => ({
  title: '',
  ssid: 'Twice',
  ssidForm: 'text',
  security: 'wpa2-psk',
  hidden: false,
  bands: ['2.4 GHz'],
  channels: [],
  country: 'DK',
  purpose: 'bench',
  subnet: '',
  poolSize: null,
  clientLimit: null,
  isolation: false,
  heard: true,
});

const mutating = endpoints
  .filter(({ method }) => !isSafe(method))
  .map(({ method, path: where }) => `${method} ${where}`);

it('every route that changes something is in this table', () => {
  expect(Object.keys(cases).sort()).toEqual([...new Set(mutating)].sort());
});

// Twice is less than eight times, but for what two of them at once alone would show.
describe.each(many(1, 2) === 2 ? [2, 8] : [8])('%d of one request at once', (times) => {
  it.each(mutating)('%s', async (name) => {
    const asked = await cases[name]!.call();
    const send = async (): Promise<number> =>
      (await server.call(asked.method, asked.path, asked.body, asked.headers)).status;
    const answers = await Promise.all(Array.from({ length: times }, send));
    // Nothing breaks: every answer is a good one or says why not.
    expect(answers.filter((status) => status >= 500)).toEqual([]);
    await cases[name]!.holds(answers.filter((status) => status < 400).length, times, asked);
  });
});
