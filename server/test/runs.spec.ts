import { randomUUID } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { BatchSummary } from '@nest-mark/core';
import { baseImage, TestServer } from './helpers/server';

/** What is asked of runs, and what two starts at once do to an empty database. */

let server: TestServer;
beforeAll(async () => {
  server = await TestServer.start('127.61.46');
});
afterAll(() => server.end());

/** A search of a station that is away, and waits there. */
async function waiting(): Promise<string> {
  const id = randomUUID();
  await server.domains.runs.repository.create(
    { id, kind: 'image-reading', begunBy: 'a test', items: [{ subject: randomUUID() }] },
    'away',
    server.knex,
  );
  return id;
}

describe('a run of a station that does not answer', () => {
  it('that was cancelled stays cancelled, whatever is asked afterwards', async () => {
    const id = await waiting();
    const { runs } = server.domains;
    expect(await runs.ask(id, 'cancel')).toBe(true);
    expect(await runs.ask(id, 'hold')).toBe(true);
    expect(await runs.ask(id, 'go-on')).toBe(true);
    expect(await runs.repository.takeWish(id)).toBe('cancel');
    expect(await runs.repository.takeWish(id)).toBeNull();
  });

  it('is not begun here, nor twice there; the same token gets the same answer', async () => {
    const id = await waiting();
    const { repository } = server.domains.runs;
    const [token, other] = [randomUUID(), randomUUID()];
    expect(await repository.begin(id, 'test', token)).toBe(false);
    expect(await repository.begin(id, 'away', token)).toBe(true);
    expect(await repository.begin(id, 'away', token)).toBe(true);
    expect(await repository.begin(id, 'away', other)).toBe(false);
    expect(await repository.find(id)).toMatchObject({ state: 'running', attempts: 1 });
  });

  it('that has ended is asked nothing any more, and ends once', async () => {
    const id = await waiting();
    const { runs } = server.domains;
    expect(await runs.repository.end(id, 'done', '', server.knex)).toBe(true);
    expect(await runs.repository.end(id, 'failed', 'late', server.knex)).toBe(false);
    expect(await runs.ask(id, 'cancel')).toBe(false);
    expect(await runs.repository.find(id)).toMatchObject({ state: 'done', reason: '' });
  });
});

describe('an empty database', () => {
  it('is made ready by two stations that start at once, and the demo is planted once', async () => {
    const folders = ['one', 'two'].map((name) => mkdtempSync(join(tmpdir(), `nest-mark-${name}-`)));
    const empty = await TestServer.empty();
    try {
      const both = await Promise.all(
        folders.map((folder, at) =>
          empty.beside(`127.61.${String(47 + at)}`, folder, {
            station: `at-once-${String(at)}`,
            demoImage: baseImage,
          }),
        ),
      );
      const told = await Promise.all(
        both.map(async ({ url }) => (await (await fetch(`${url}/api/batches`)).json()) as BatchSummary[]),
      );
      expect(told.map((list) => list.map(({ name }) => name))).toEqual([
        ['Tank monitors', 'Gate controllers', 'Field buoys'],
        ['Tank monitors', 'Gate controllers', 'Field buoys'],
      ]);
      for (const running of both) await running.stop();
    } finally {
      await empty.end();
      for (const folder of folders) rmSync(folder, { recursive: true, force: true });
    }
  });

  it('gets its demo at the next start, where the first one could not plant it', async () => {
    const empty = await TestServer.empty();
    const folder = mkdtempSync(join(tmpdir(), 'nest-mark-demo-'));
    try {
      await expect(
        empty.beside('127.61.49', folder, { station: 'later', demoImage: join(folder, 'missing.img') }),
      ).rejects.toThrow();
      const running = await empty.beside('127.61.49', folder, { station: 'later', demoImage: baseImage });
      const list = (await (await fetch(`${running.url}/api/batches`)).json()) as BatchSummary[];
      expect(list).toHaveLength(3);
      await running.stop();
    } finally {
      await empty.end();
      rmSync(folder, { recursive: true, force: true });
    }
  });
});
