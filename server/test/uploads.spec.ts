import { createHash, randomBytes } from 'node:crypto';
import { appendFileSync, createReadStream, existsSync, readFileSync, readdirSync, statSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import fc from 'fast-check';
import { type DetailedError, Upload as Client, type UploadOptions } from 'tus-js-client';
import { UPLOAD_PIECE, type Image, type Upload } from '@nest-mark/core';
import { begin, beginHeaders, forget, piece, pieceHeaders, sendAll, stand } from './helpers/sending';
import { baseImage, TestServer } from './helpers/server';

/** Checked against the text of the tus resumable upload protocol 1.0.0 and, as a whole, by its own client. */

let server: TestServer;
beforeAll(async () => {
  server = await TestServer.start('127.61.13');
});
afterAll(() => server.end());

const packed = readFileSync(baseImage);
const digest = createHash('sha256').update(packed).digest('hex');
// As the page sends it: what was left empty is a key without a value.
const wish = { filename: 'practice-os.img.xz', size: packed.length, modified: 1_700_000_000_000, title: '' };
const part = (id: string): string => join(server.folder, 'uploads', `${id}.part`);
const images = (): Promise<Image[]> => server.ok('GET', '/images');

/** The file that was sent goes a moment after its image is settled. */
const leftNothing = () =>
  server.until(() => Promise.resolve(readdirSync(join(server.folder, 'uploads')).length === 0 ? true : null));

describe('an image that is sent', () => {
  it('goes on after the server was away, is checked against a dropped list, and leaves nothing behind', async () => {
    const sha256 = `${'0'.repeat(64)}  other.img\n${digest}  ./practice-os.img.xz\n`;
    const id = await begin(server, { ...wish, sha256 });
    expect(await stand(server, id)).toEqual({ received: 0, size: packed.length });
    const first = Math.floor(packed.length / 2);
    await piece(server, id, 0, packed.subarray(0, first));
    await server.restart();
    // The same file, from whichever browser: where the first one stopped.
    expect(await begin(server, { ...wish, sha256 })).toBe(id);
    expect(await stand(server, id)).toEqual({ received: first, size: packed.length });
    expect(await server.ok<Upload[]>('GET', '/uploads')).toEqual([
      { id, name: wish.filename, size: packed.length, received: first },
    ]);
    expect(await sendAll(server, id, packed)).toMatchObject({
      state: 'ready',
      title: 'practice-os.img.xz',
      packedSha256: digest,
      packing: 'xz',
    });
    expect(await server.ok<Upload[]>('GET', '/uploads')).toEqual([]);
    await leftNothing();
    // Whoever missed the last answer asks, and need not send it all again.
    expect(await stand(server, id)).toEqual({ received: packed.length, size: packed.length });
    expect(await forget(server, id)).toMatchObject({ status: 404 });
  });

  it('tells what its octets say: system, width, age, the files of its boot partition', async () => {
    const [image] = await images();
    expect(image!.seen.map(({ kind, text }) => [kind, text])).toEqual([
      ['system', 'Practice OS 1 (minimal)'],
      ['built', ''],
    ]);
    expect(image!.bootFiles.map(({ name }) => name)).toEqual(
      expect.arrayContaining(['vmlinuz', 'user-data', 'meta-data', 'extlinux']),
    );
    expect(image!.keptSize).toBeGreaterThan(9 << 20);
    expect(image!.keptSize).toBeLessThan(image!.rawSize!);
  });

  it('is refused where its digest is not the published one', async () => {
    const content = randomBytes(300_000);
    const other = { ...wish, filename: 'noise.img', size: content.length, sha256: 'b'.repeat(64) };
    const image = await sendAll(server, await begin(server, other), content);
    expect(image).toMatchObject({ state: 'failed' });
    expect(image.message).toContain('not the published one');
    await leftNothing();
  });

  it('takes no octets at a wrong place or beyond the end, and keeps what is there', async () => {
    const id = await begin(server, { ...wish, filename: 'a.img', size: 1000 });
    expect((await piece(server, id, 0, Buffer.alloc(400))).headers.get('upload-offset')).toBe('400');
    for (const place of [0, 399, 500])
      expect(await piece(server, id, place, Buffer.alloc(10))).toMatchObject({
        status: 409,
        body: { code: 'upload-place' },
      });
    expect(await piece(server, id, 400, Buffer.alloc(700))).toMatchObject({
      status: 413,
      body: { code: 'upload-long' },
    });
    expect(await stand(server, id)).toEqual({ received: 400, size: 1000 });
    expect(await forget(server, id)).toMatchObject({ status: 204 });
    expect(existsSync(part(id))).toBe(false);
    expect(await piece(server, id, 400, Buffer.alloc(10))).toMatchObject({
      status: 404,
      body: { code: 'upload-missing' },
    });
    expect(await stand(server, id)).toBe(404);
  });

  it('is not begun with a name that leads elsewhere, an empty file, one larger than the disk, or digests that are none', async () => {
    const refused = (change: object) =>
      server.refused('POST', '/uploads', undefined, beginHeaders({ ...wish, ...change }));
    expect(await refused({ filename: '../../etc/passwd' })).toMatchObject({ status: 422, code: 'invalid' });
    expect(await refused({ size: 0 })).toMatchObject({
      code: 'invalid',
      detail: expect.stringContaining('The file is empty') as string,
    });
    expect(await refused({ filename: 'huge.img', size: 2 ** 42 })).toMatchObject({
      status: 507,
      code: 'upload-no-room',
    });
    expect(await refused({ sha256: 'abc' })).toMatchObject({ status: 422, code: 'digest-form' });
    expect(await refused({ sha256: `${digest}  other.img` })).toMatchObject({ code: 'digest-other-file' });
  });

  it.each<[string, Record<string, string>]>([
    ['no version of the protocol', { 'Tus-Resumable': '' }],
    ['another version of it', { 'Tus-Resumable': '0.2.2' }],
    ['no place', { 'Upload-Offset': '' }],
    ['a place that is none', { 'Upload-Offset': '-1' }],
    ['octets that are called otherwise', { 'Content-Type': 'application/json' }],
  ])('is told what is wrong where it is sent with %s', async (_what, change) => {
    const id = await begin(server, { ...wish, filename: 'odd.img', size: 1000 });
    const headers = Object.entries({ ...pieceHeaders(0), ...change }).filter(([, value]) => value !== '');
    const answer = await server.call<{ code: string; detail: string }>(
      'PATCH',
      `/uploads/${id}`,
      Buffer.from('{}'),
      Object.fromEntries(headers),
    );
    expect(answer).toMatchObject({ status: 400, body: { code: 'upload-protocol' } });
    expect(answer.headers.get('content-type')).toContain('application/problem+json');
    expect(await stand(server, id)).toEqual({ received: 0, size: 1000 });
    await forget(server, id);
  });

  it('is taken for no other of its name and size that was changed at another time, or does not tell when', async () => {
    const other = { filename: 'os.img', size: 1000 };
    const ids = [
      await begin(server, { ...other, modified: 5 }),
      await begin(server, { ...other, modified: 6 }),
      await begin(server, other),
      await begin(server, other),
    ];
    expect(new Set(ids).size).toBe(4);
    expect(await begin(server, { ...other, modified: 6 })).toBe(ids[1]);
    for (const id of ids) await forget(server, id);
  });

  it('is told what is spoken here, and pages of other sites are let in nowhere', async () => {
    const { status, headers } = await server.call('OPTIONS', '/uploads');
    expect([status, headers.get('tus-version'), headers.get('tus-extension')]).toEqual([
      204,
      '1.0.0',
      'creation,creation-with-upload,termination',
    ]);
    expect(headers.get('access-control-allow-origin')).toBeNull();
    expect(
      await server.refused('POST', '/uploads', undefined, { Origin: 'http://other.example' }),
    ).toMatchObject({ code: 'foreign-page' });
  });
});

describe('a line that breaks', () => {
  /**
   * Sends the beginning of what it says will come, and waits until that has arrived.
   * @returns how to break off
   */
  async function hanging(id: string, offset: number, content: Buffer, promised: number): Promise<() => void> {
    const { hostname, port } = new URL(server.url);
    const socket = connect(Number(port), hostname);
    socket.on('error', () => undefined);
    const head = Object.entries({
      Host: `${hostname}:${port}`,
      'X-Nest-Mark': '1',
      ...pieceHeaders(offset),
      'Content-Length': String(promised),
    }).map(([name, value]) => `${name}: ${value}\r\n`);
    socket.write(`PATCH /api/uploads/${id} HTTP/1.1\r\n${head.join('')}\r\n`);
    socket.write(content);
    const arrived = offset + content.length;
    await server.until(() =>
      Promise.resolve(existsSync(part(id)) && statSync(part(id)).size === arrived ? true : null),
    );
    return () => socket.destroy();
  }

  it('costs nothing of what had arrived, wherever it breaks', async () => {
    const content = randomBytes(40_000);
    let turn = 0;
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.integer({ min: 1, max: 12_000 }), { minLength: 1, maxLength: 3 }),
        async (cuts) => {
          const sha256 = createHash('sha256').update(content).digest('hex');
          const id = await begin(server, {
            filename: `cut-${String(turn++)}.img`,
            size: content.length,
            sha256,
          });
          let at = 0;
          for (const cut of cuts) {
            (await hanging(id, at, content.subarray(at, at + cut), content.length - at))();
            at += cut;
            // The next one need not wait until the server has noticed.
            expect(await stand(server, id)).toEqual({ received: at, size: content.length });
          }
          const image = await sendAll(server, id, content);
          // What arrived is what was sent: an image it is not, and that is all that is wrong with it.
          expect(image.message).not.toContain('not the published one');
        },
      ),
      { numRuns: 6, seed: 101010 },
    );
    await leftNothing();
  });

  it('that hangs is cut when the same file goes on elsewhere', async () => {
    const content = randomBytes(2000);
    const id = await begin(server, { filename: 'hanging.img', size: content.length });
    const end = await hanging(id, 0, content.subarray(0, 700), 2000);
    expect(await stand(server, id)).toEqual({ received: 700, size: 2000 });
    await sendAll(server, id, content);
    end();
    await leftNothing();
  });

  it('is broken by a program that stops, which waits for nobody to send a whole image', async () => {
    const content = randomBytes(2000);
    const id = await begin(server, { filename: 'stopping.img', size: content.length });
    const end = await hanging(id, 0, content.subarray(0, 900), 2000);
    await server.restart();
    expect(await stand(server, id)).toEqual({ received: 900, size: 2000 });
    end();
    await forget(server, id);
  });

  it('in the answer to the last octet, or a server that dies there, still makes one image', async () => {
    const content = randomBytes(3000);
    const id = await begin(server, { filename: 'last.img', size: content.length, title: 'Last' });
    await piece(server, id, 0, content.subarray(0, 2999));
    // The last octet is on the disk and nobody made an image of it.
    appendFileSync(part(id), content.subarray(2999));
    await server.restart();
    expect(await Promise.all(Array.from({ length: 8 }, () => stand(server, id)))).toEqual(
      Array.from({ length: 8 }, () => ({ received: 3000, size: 3000 })),
    );
    expect((await images()).filter(({ title }) => title === 'Last')).toHaveLength(1);
    await leftNothing();
  });
});

describe('the protocol’s own client', () => {
  const send = (path: string, more: Partial<UploadOptions>): Promise<string> =>
    new Promise((resolve, reject) => {
      const client = new Client(createReadStream(path), {
        endpoint: `${server.url}/api/uploads`,
        uploadSize: statSync(path).size,
        headers: { 'X-Nest-Mark': '1' },
        retryDelays: null,
        onError: reject,
        onSuccess: () => resolve(client.url!),
        ...more,
      });
      client.start();
    });

  it('sends a file in one go, beginning included, and hears in words why another is refused', async () => {
    const before = new Set((await images()).map(({ id }) => id));
    const url = await send(baseImage, {
      metadata: { filename: 'again.img.xz', title: 'Kelp & Øre' },
      uploadDataDuringCreation: true,
      chunkSize: UPLOAD_PIECE,
    });
    expect(await stand(server, url.split('/').at(-1)!)).toEqual({
      received: packed.length,
      size: packed.length,
    });
    const image = await server.until(async () => {
      const now = (await images()).find(({ id }) => !before.has(id));
      return now && now.state !== 'checking' ? now : null;
    });
    expect(image.title).toBe('Kelp & Øre');
    expect(image.message).toContain('This image is on the shelf already, as "practice-os.img.xz".');
    const error = await send(baseImage, { metadata: { filename: 'a/b.img' } }).catch((told: unknown) => told);
    expect((error as DetailedError).originalResponse!.getBody()).toContain('A file name has no slashes');
  });
});
