import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Batch, LogEntry, Proposal, ShelvedNetwork, SlotCheck } from '@nest-mark/core';
import { baseImage, TestServer, tankPlan } from './helpers/server';

const network = '127.61.15';
const env = { ...process.env, MTOOLS_SKIP_CHECK: '1' };
let server: TestServer;
let batch: Batch;
let bench: ShelvedNetwork;

beforeAll(async () => {
  server = await TestServer.start(network);
  const image = await server.shelve(baseImage);
  bench = await server.newNetwork({}, 'low tide at seven');
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  const plan = tankPlan(1, image.id, network);
  plan.networks = [{ networkId: bench.id, priority: 10 }];
  batch = await server.batch(plan);
  await server.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
  await server.ended(batch.id, (await server.arm(batch.id)).id);
});
afterAll(() => server.end());

async function asked<T>(path: string, more: object = {}): Promise<T> {
  const { cards } = await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`);
  return server.ok('POST', `/slots/slot-1/${path}`, { identity: cards[0]!.medium!.identity, ...more });
}

/** Changes a file of the card with mtools, while it is out of its slot. */
async function change(name: string, spoil: (text: string) => string): Promise<void> {
  await server.act({ do: 'pull', slotId: 'slot-1' });
  const disk = ['-i', `${join(server.folder, 'practice/cards/card-01.img')}@@1M`];
  const path = join(server.folder, 'spoilt');
  writeFileSync(path, spoil(execFileSync('mtype', [...disk, `::${name}`], { env, encoding: 'utf8' })));
  execFileSync('mcopy', ['-o', ...disk, path, `::${name}`], { env });
  await server.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
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

describe('the card in a slot', () => {
  it('is as the plan says, right after it was written', async () => {
    const check = await asked<SlotCheck>('check');
    expect(check.findings.filter(({ severity }) => severity !== 'note')).toEqual([]);
    expect(check).toMatchObject({
      acts: 'declarative-seed',
      settings: { hostName: 'tank-01', networks: [{ ssid: 'Saltmarsh Bench' }] },
      plan: { batchName: 'Tank monitors', changes: [] },
    });
    expect(check.plan!.writtenAt).toBeGreaterThan(Date.now() - 600_000);
  });

  it('tells what was changed in the plan since, and no secret', async () => {
    await server.ok(
      'PUT',
      `/networks/${bench.id}`,
      {
        network: { ...bench, id: undefined, version: undefined, secret: undefined },
        secret: 'spring tide at nine',
      },
      { 'If-Match': `"${String(bench.version)}"` },
    );
    const changed = await asked<SlotCheck>('check');
    expect(changed.plan!.changes).toEqual(['The passphrase of a network was changed since.']);
    expect(JSON.stringify(changed)).not.toMatch(/tide|[0-9a-f]{64}/);
    await plan((now) => {
      now.devices[0]!.hostName = 'tank-77';
      now.country = 'NO';
      now.timeZone = 'Europe/Oslo';
    });
    expect((await asked<SlotCheck>('check')).plan!.changes).toEqual([
      'The device is called tank-77 now, not tank-01.',
      'The country is NO now, not DK.',
    ]);
  });

  it('is mended where it can be, only there, and that is logged', async () => {
    await change('user-data', (text) => `\uFEFF${text}`);
    const check = await asked<SlotCheck>('check');
    expect(check.findings[0]).toMatchObject({ id: 'byte-order-mark', file: 'user-data', mendable: true });
    const mended = await asked<SlotCheck>('mend', {
      id: 'byte-order-mark',
      file: 'user-data',
      line: 1,
    });
    expect(mended.findings.map(({ id }) => id)).not.toContain('byte-order-mark');
    const [entry] = await server.ok<LogEntry[]>('GET', '/log?limit=1');
    expect(entry).toMatchObject({ kind: 'card-mended' });
    const { cards } = await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`);
    const { identity } = cards[0]!.medium!;
    const again = { identity, id: 'byte-order-mark', file: 'user-data', line: 1 };
    expect(await server.refused('POST', '/slots/slot-1/mend', again)).toMatchObject({ code: 'not-mendable' });
    const other = { identity: { ...identity, serial: 'another' } };
    expect(await server.refused('POST', '/slots/slot-1/check', other)).toMatchObject({
      code: 'card-changed',
    });
  });

  it('several slips of one file are mended one by one, and then it is the card that was written', async () => {
    await change('network-config', (text) =>
      text
        .replace('password:', 'pasword:')
        .replace('dhcp4:', 'dchp4:')
        .replace(/domain: \w+/, 'domain: UK'),
    );
    let { findings } = await asked<SlotCheck>('check');
    expect(findings.filter(({ mendable }) => mendable).map(({ id }) => id)).toEqual([
      'unknown-setting',
      'unknown-setting',
      'country-unknown',
    ]);
    for (;;) {
      const next = findings.find(({ mendable }) => mendable);
      if (!next) break;
      const { id, file, line } = next;
      ({ findings } = await asked<SlotCheck>('mend', { id, file, line }));
    }
    expect(findings.filter(({ severity }) => severity !== 'note')).toEqual([]);
    // The slip was taken for a country that the plan does not mean; only the comparison can know that.
    expect((await asked<SlotCheck>('check')).plan!.changes).toContain('The country is NO now, not GB.');
  });

  it('that is locked is looked at and not written; one with nothing on it says so', async () => {
    await change('meta-data', (text) => `\uFEFF${text}`);
    const { cards } = await server.ok<{ cards: { id: string; faults: object }[] }>('GET', '/practice');
    const faults = { ...cards.find(({ id }) => id === 'card-01')!.faults, locked: true };
    await server.call('POST', '/practice/actions', { do: 'cardFaults', cardId: 'card-01', faults });
    const check = await asked<SlotCheck>('check');
    const finding = check.findings.find(({ mendable }) => mendable)!;
    const { identity } = (await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`)).cards[0]!
      .medium!;
    expect(
      await server.refused('POST', '/slots/slot-1/mend', {
        identity,
        id: finding.id,
        file: finding.file,
        line: finding.line,
      }),
    ).toMatchObject({ code: 'card-protected' });
    await server.act({ do: 'pull', slotId: 'slot-1' });
    await server.act({ do: 'insert', cardId: 'card-02', slotId: 'slot-1' });
    const empty = (await server.ok<Proposal>('GET', `/batches/${batch.id}/next-round`)).cards[0]!.medium!;
    expect(await server.refused('POST', '/slots/slot-1/check', { identity: empty.identity })).toMatchObject({
      status: 409,
      code: 'card-content',
    });
  });
});
