import { execFileSync } from 'node:child_process';
import { readdirSync } from 'node:fs';
import type { Batch, LogEntry, Round } from '@nest-mark/core';
import { baseImage, TestServer, tankPlan } from './helpers/server';
import { long } from '../../core/test/helpers/long';

/** Whoever gets a copy of the database, or reads what the server tells in passing, gets no secret. */

const network = '127.61.29';
const passphrase = 'the eels leave at midnight';
const password = 'Kelp-Forest-and-9-Otters';
let server: TestServer;
let batch: Batch;

beforeAll(async () => {
  server = await TestServer.start(network);
  const image = await server.shelve(baseImage);
  const shelved = await server.newNetwork({}, passphrase);
  const plan = tankPlan(8, image.id, network);
  batch = await server.batch(
    {
      ...plan,
      access: { ...plan.access, passwordLogin: true },
      networks: [{ networkId: shelved.id, priority: 10 }],
    },
    { userPassword: password },
  );
});
afterAll(() => server.end());

/** All of the database as PostgreSQL's own pg_dump writes it: clear text of every schema, bytea in hexadecimal. */
const dump = (): string =>
  execFileSync('pg_dump', ['--dbname', server.databaseUrl], { encoding: 'utf8', maxBuffer: 1 << 28 });

/** How a secret can lie in a text: as it is, in hexadecimal, and in base64 at each of the three alignments. */
function forms(secret: string | Buffer): string[] {
  const bytes = Buffer.from(secret);
  const aligned = [0, 1, 2].map((before) =>
    // Without the characters that depend on what stands before and after.
    Buffer.concat([Buffer.alloc(before), bytes])
      .toString('base64')
      .replace(/=+$/, '')
      .slice(4, -4),
  );
  return [bytes.toString('latin1'), bytes.toString('hex'), ...aligned];
}

const holds = (text: string, secret: string | Buffer): boolean =>
  forms(secret).some((form) => text.includes(form));

it('the forms that are looked for are the ones that a dump has', () => {
  for (const before of ['', 'a', 'ab'])
    expect(holds(Buffer.from(`${before}${passphrase} and more`).toString('base64'), passphrase)).toBe(true);
  expect(holds(Buffer.from(passphrase).toString('hex'), passphrase)).toBe(true);
  expect(holds('nothing of it', passphrase)).toBe(false);
});

it('no secret stands in clear in a dump: not while cards are written, after it, after it was shown, nor in queue, answers kept, events and log', async () => {
  const told: string[] = [];
  const stop = server.domains.platform.events.listen(({ text }) => told.push(text));
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 2e6 });
  await server.act({ do: 'insertFresh' });
  const round = await server.arm(batch.id);
  await server.until(async () => {
    const { rounds } = await server.ok<{ rounds: Round[] }>('GET', `/batches/${batch.id}/progress`);
    return rounds.some(({ state }) => state === 'running') ? true : null;
  });
  const during = dump();
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  await server.ended(batch.id, round.id);
  const { value } = await server.ok<{ value: string }>('POST', `/batches/${batch.id}/reveal`, {
    kind: 'userPassword',
  });
  expect(value).toBe(password);
  const log = JSON.stringify(await server.ok<LogEntry[]>('GET', `/log?batchId=${batch.id}`));
  stop();
  // What boards sign with must not be there either; the vault tells what it is.
  const keys = await Promise.all(
    batch.plan.devices.map(({ id }) => server.domains.networks.vault.get(id, 'hostKeySeed')),
  );
  expect(keys.filter((key) => key !== null)).toHaveLength(8);
  for (const text of [during, dump(), log, told.join('\n')]) {
    expect(text.length).toBeGreaterThan(0);
    for (const secret of [passphrase, password, ...keys.flatMap((key) => [key!, Buffer.from(key!, 'hex')])])
      expect(holds(text, secret)).toBe(false);
    expect(text).not.toContain('PRIVATE KEY');
  }
});

long(
  'cards that were opened are closed when the round fails before it writes, and can be written at once',
  async () => {
    await server.act({ do: 'pullIdle' });
    await server.act({ do: 'insertFresh' });
    const settings = server.domains.settings.repository;
    const real = settings.station.bind(settings);
    const failing = jest.spyOn(settings, 'station').mockImplementation(async () => {
      const [running] = (await server
        .knex('run')
        .where({ kind: 'round', state: 'running' })
        .limit(1)) as unknown[];
      if (running) throw new Error('the settings cannot be read');
      return real();
    });
    const open = (): string[] =>
      readdirSync('/proc/self/fd').flatMap((fd) => {
        try {
          const target = execFileSync('readlink', [`/proc/${String(process.pid)}/fd/${fd}`], {
            encoding: 'utf8',
          }).trim();
          return target.startsWith(`${server.folder}/practice/cards/`) ? [target] : [];
        } catch {
          return [];
        }
      });
    try {
      const round = await server.arm(batch.id);
      expect((await server.ended(batch.id, round.id)).cards.map(({ state }) => state)).not.toContain(
        'verified',
      );
      await server.until(async () => Promise.resolve(open().length === 0 ? true : null));
      failing.mockRestore();
      const again = await server.arm(batch.id);
      expect((await server.ended(batch.id, again.id)).state).toBe('done');
    } finally {
      failing.mockRestore();
    }
  },
);
