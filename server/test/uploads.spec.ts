import { createHash, randomBytes } from 'node:crypto';
import { existsSync, readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { UPLOAD_PIECE, type Image, type Upload } from '@nest-mark/core';
import { baseImage, TestServer } from './helpers/server';

let server: TestServer;
beforeAll(async () => {
  server = await TestServer.start('127.61.13');
});
afterAll(() => server.end());

const packed = readFileSync(baseImage);
const digest = createHash('sha256').update(packed).digest('hex');
const wish = {
  name: 'practice-os.img.xz',
  size: packed.length,
  modified: 1_700_000_000_000,
  title: '',
  sha256: '',
};

async function piece(id: string, offset: number, content: Uint8Array) {
  const response = await fetch(`${server.url}/api/uploads/${id}?offset=${String(offset)}`, {
    method: 'PUT',
    headers: { 'X-Nest-Mark': '1', 'Content-Type': 'application/octet-stream' },
    body: Buffer.from(content),
  });
  return {
    status: response.status,
    body: (await response.json()) as Upload & { code: string; detail: string },
  };
}

async function sendAll(upload: Upload, content: Uint8Array): Promise<Upload> {
  let now = upload;
  while (now.image === null) {
    const part = content.subarray(now.received, now.received + UPLOAD_PIECE);
    const { status, body } = await piece(upload.id, now.received, part);
    expect(status).toBe(200);
    now = body;
  }
  return now;
}

/** The file that was sent goes a moment after its image is settled. */
const leftNothing = () =>
  server.until(() => Promise.resolve(readdirSync(join(server.folder, 'uploads')).length === 0 ? true : null));

const settled = (id: string): Promise<Image> =>
  server.until(async () => {
    const image = (await server.ok<Image[]>('GET', '/images')).find((one) => one.id === id);
    return image && image.state !== 'checking' ? image : null;
  });

describe('an image that is sent', () => {
  it('goes on after the server was away, is checked against a dropped list, and leaves nothing behind', async () => {
    const sha256 = `${'0'.repeat(64)}  other.img\n${digest}  ./practice-os.img.xz\n`;
    const begun = await server.ok<Upload>('POST', '/uploads', { ...wish, sha256 });
    expect(begun.received).toBe(0);
    await piece(begun.id, 0, packed.subarray(0, UPLOAD_PIECE));
    await server.restart();
    const again = await server.ok<Upload>('POST', '/uploads', { ...wish, sha256 });
    expect(again).toMatchObject({ id: begun.id, received: UPLOAD_PIECE });
    expect(await server.ok<Upload[]>('GET', '/uploads')).toMatchObject([
      { id: begun.id, received: UPLOAD_PIECE },
    ]);
    const done = await sendAll(again, packed);
    const image = await settled(done.image!.id);
    expect(image).toMatchObject({
      state: 'ready',
      title: 'practice-os.img.xz',
      packedSha256: digest,
      packing: 'xz',
    });
    expect(await server.ok<Upload[]>('GET', '/uploads')).toEqual([]);
    await leftNothing();
  });

  it('tells what its octets say: system, width, age, the files of its boot partition', async () => {
    const [image] = await server.ok<Image[]>('GET', '/images');
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
    const other = { ...wish, name: 'noise.img', size: content.length, sha256: 'b'.repeat(64) };
    const begun = await server.ok<Upload>('POST', '/uploads', other);
    const image = await settled((await sendAll(begun, content)).image!.id);
    expect(image).toMatchObject({ state: 'failed' });
    expect(image.message).toContain('not the published one');
    await leftNothing();
  });

  it('takes no piece at a wrong place or beyond the end, and says where to go on', async () => {
    const begun = await server.ok<Upload>('POST', '/uploads', { ...wish, name: 'a.img', size: 1000 });
    await piece(begun.id, 0, Buffer.alloc(400));
    const wrong = await piece(begun.id, 500, Buffer.alloc(10));
    expect(wrong).toMatchObject({ status: 409, body: { code: 'upload-place' } });
    expect(wrong.body.detail).toContain('begins at byte 400');
    expect(await piece(begun.id, 400, Buffer.alloc(700))).toMatchObject({
      status: 422,
      body: { code: 'upload-long' },
    });
    expect(await piece(begun.id, 400, Buffer.alloc(0))).toMatchObject({ status: 400 });
    await server.ok('DELETE', `/uploads/${begun.id}`);
    expect(existsSync(join(server.folder, 'uploads', `${begun.id}.part`))).toBe(false);
    expect(await piece(begun.id, 400, Buffer.alloc(10))).toMatchObject({ status: 404 });
  });

  it('is not begun with a name that leads elsewhere, an empty file, one larger than the disk, or digests that are none', async () => {
    const begin = (change: object) => server.refused('POST', '/uploads', { ...wish, ...change });
    expect(await begin({ name: '../../etc/passwd' })).toMatchObject({ status: 422 });
    expect(await begin({ size: 0 })).toMatchObject({ status: 422 });
    expect(await begin({ name: 'huge.img', size: 2 ** 42 })).toMatchObject({
      status: 507,
      code: 'upload-no-room',
    });
    expect(await begin({ sha256: 'abc' })).toMatchObject({ status: 422, code: 'digest-form' });
    expect(await begin({ sha256: `${digest}  other.img` })).toMatchObject({ code: 'digest-other-file' });
  });
});
