import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Image } from '@nest-mark/core';
import { baseImage, TestServer, tankPlan } from './helpers/server';
import { tinyImage } from './helpers/tiny-image';
import { withLong } from '../../core/test/helpers/soak';

/** Octets of an image that takes long to read; almost all of it is a hole, which costs no room. */
const LONG = 60e9;

let server: TestServer;
let folder: string;
/** Begins to send an image and never goes on: reading it takes for ever, and no time of the processors. */
const hanging = createServer((_request, response) => {
  response.writeHead(200, { 'Content-Length': '1000000' }).write('x');
});
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-lanes-'));
  server = await TestServer.start('127.61.45');
  await new Promise<void>((done) => hanging.listen(0, '127.0.0.1', done));
});
afterAll(async () => {
  hanging.closeAllConnections();
  hanging.close();
  await server.end();
  rmSync(folder, { recursive: true, force: true });
});

it('an armed round begins at once while more images than have a place are being read', async () => {
  const image = await server.shelve(tinyImage(folder));
  const batch = await server.batch(tankPlan(1, image.id, '127.61.45'));
  const raw = execFileSync('xz', ['-dc', baseImage], { maxBuffer: 1 << 28 });
  const long = join(folder, 'long.img');
  writeFileSync(long, raw);
  truncateSync(long, LONG);
  const { port } = hanging.address() as AddressInfo;
  // The one on this disk takes the processors too, which is left to where what takes long runs.
  const away = Array.from(
    { length: withLong ? 5 : 6 },
    (_, nth) => `http://127.0.0.1:${String(port)}/${String(nth)}.img`,
  );
  for (const path of [...(withLong ? [long] : []), ...away])
    await server.ok<Image>('POST', '/images', { path, title: '', sha256: '' });
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
