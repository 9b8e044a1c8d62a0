import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Image } from '@nest-mark/core';
import { baseImage, TestServer, tankPlan } from './helpers/server';
import { tinyImage } from './helpers/tiny-image';

/** Octets of an image that takes long to read; almost all of it is a hole, which costs no room. */
const LONG = 60e9;

let server: TestServer;
let folder: string;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-lanes-'));
  server = await TestServer.start('127.61.45');
});
afterAll(async () => {
  await server.end();
  rmSync(folder, { recursive: true, force: true });
});

it('an armed round begins at once while more images than have a place are being read', async () => {
  const image = await server.shelve(tinyImage(folder));
  const batch = await server.batch(tankPlan(1, image.id, '127.61.45'));
  const raw = execFileSync('xz', ['-dc', baseImage], { maxBuffer: 1 << 28 });
  for (let nth = 0; nth < 6; nth++) {
    const path = join(folder, `long-${String(nth)}.img`);
    writeFileSync(path, raw);
    truncateSync(path, LONG + nth * 512);
    await server.ok<Image>('POST', '/images', { path, title: '', sha256: '' });
  }
  const reading = async (): Promise<string[]> =>
    (await server.domains.runs.repository.open('test')).flatMap(({ kind, state }) =>
      kind === 'image-reading' ? [state] : [],
    );
  await server.until(async () =>
    (await reading()).filter((state) => state === 'running').length === 2 ? true : null,
  );
  await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  await server.act({ do: 'insert', cardId: 'card-01', slotId: 'slot-1' });
  const { id } = await server.arm(batch.id);
  expect((await server.ended(batch.id, id)).cards[0]!.state).toBe('verified');
  // All of them are still there: the round waited for none.
  expect((await reading()).sort()).toEqual(['queued', 'queued', 'queued', 'queued', 'running', 'running']);
});
