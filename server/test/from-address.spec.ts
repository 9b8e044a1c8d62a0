import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import type { Image, NewerImage, Problem } from '@nest-mark/core';
import { baseImage, TestServer } from './helpers/server';

/** Images from an address, against a small web server on loopback. */

const content = readFileSync(baseImage);
const digest = createHash('sha256').update(content).digest('hex');

let server: TestServer;
let web: Server;
let behave: (request: IncomingMessage, response: ServerResponse) => void;
let asked: { url: string; range: string | undefined }[] = [];

beforeAll(async () => {
  server = await TestServer.start('127.61.42');
  web = createServer((request, response) => {
    asked.push({ url: request.url ?? '', range: request.headers.range });
    behave(request, response);
  });
  await new Promise<void>((done) => web.listen(0, '127.0.0.1', done));
});
afterAll(async () => {
  web.closeAllConnections();
  web.close();
  await server.end();
});

const at = (path: string): string => `http://127.0.0.1:${String((web.address() as AddressInfo).port)}${path}`;

/** A web server with an image and its digest beside it. */
const serving =
  (etag = '"one"', published = digest) =>
  (request: IncomingMessage, response: ServerResponse): void => {
    if (request.url?.endsWith('.sha256'))
      return void response.end(`${published}  ${request.url.slice(1).replace('.sha256', '')}\n`);
    if (!request.url?.endsWith('.img.xz')) return void response.writeHead(404).end();
    const first = Number(/^bytes=(\d+)-$/.exec(request.headers.range ?? '')?.[1] ?? 0);
    response.writeHead(first > 0 ? 206 : 200, {
      etag,
      'content-length': content.length - first,
      ...(first > 0
        ? {
            'content-range': `bytes ${String(first)}-${String(content.length - 1)}/${String(content.length)}`,
          }
        : {}),
    });
    response.end(request.method === 'HEAD' ? undefined : content.subarray(first));
  };

const add = (
  path: string,
  more: { title?: string; sha256?: string } = {},
): Promise<{ status: number; body: Image & Problem }> =>
  server.call<Image & Problem>('POST', '/images', { path: at(path), title: '', sha256: '', ...more });
const find = async (id: string): Promise<Image | undefined> =>
  (await server.call<Image[]>('GET', '/images')).body.find((image) => image.id === id);
const ended = (id: string): Promise<Image> =>
  server.until(async () => {
    const image = await find(id);
    return image && image.state !== 'checking' ? image : null;
  });
const parts = (): string[] =>
  existsSync(join(server.folder, 'uploads')) ? readdirSync(join(server.folder, 'uploads')) : [];
/** The notes of a fetch go after the image is on the shelf, so this waits. */
const nothingLeft = (): Promise<true> => server.until(() => Promise.resolve(parts().length === 0 || null));

describe('an image from an address', () => {
  it('without a published digest is not fetched, and the sentence says what to do', async () => {
    behave = (request, response) =>
      request.url?.endsWith('.img.xz') ? serving()(request, response) : void response.writeHead(404).end();
    asked = [];
    const image = await ended((await add('/os.img.xz')).body.id);
    expect(image).toMatchObject({ state: 'failed', title: 'os.img.xz' });
    expect(image.message).toContain('No SHA-256 is published beside this file');
    expect(asked.map(({ url }) => url)).not.toContain('/os.img.xz');
    await server.call('DELETE', `/images/${image.id}`);
  });

  it('that is not what was published is refused, and nothing of it is kept', async () => {
    behave = serving('"one"', '0'.repeat(64));
    const image = await ended((await add('/os.img.xz')).body.id);
    expect(image.message).toMatch(/is not the published one|SHA-256/);
    await nothingLeft();
    await server.call('DELETE', `/images/${image.id}`);
  });

  it('asked for twice at once is fetched once', async () => {
    // Nothing comes until both have asked.
    let release: () => void = () => undefined;
    const both = new Promise<void>((done) => (release = done));
    behave = (request, response) => void both.then(() => serving()(request, response));
    const answers = await Promise.all([add('/os.img.xz'), add('/os.img.xz'), add('/os.img.xz')]);
    release();
    expect(answers.map(({ status }) => status).sort()).toEqual([201, 409, 409]);
    expect(answers.find(({ status }) => status === 409)?.body.code).toBe('image-being-fetched');
    const image = await ended(answers.find(({ status }) => status === 201)!.body.id);
    expect(image).toMatchObject({ state: 'ready', address: at('/os.img.xz'), packedSha256: digest });
    await nothingLeft();
  });

  it('says whether there is a newer one when asked, and only then', async () => {
    const [image] = (await server.call<Image[]>('GET', '/images')).body;
    const newer = (): Promise<{ status: number; body: NewerImage & Problem }> =>
      server.call<NewerImage & Problem>('POST', `/images/${image!.id}/newer`);
    asked = [];
    behave = serving();
    expect((await newer()).body).toEqual({ newer: 'same' });
    behave = serving('"two"');
    expect((await newer()).body).toEqual({ newer: 'newer' });
    behave = (_request, response) => void response.writeHead(404).end();
    expect(await newer()).toMatchObject({ status: 422, body: { code: 'image-address' } });
    expect(asked).toHaveLength(3);
    await server.call('DELETE', `/images/${image!.id}`);
  });

  it('is stopped by a person, goes on when it is added again, and is taken', async () => {
    const half = content.length >> 1;
    let closed = false;
    behave = (request, response) => {
      if (!request.url?.endsWith('.img.xz')) return serving()(request, response);
      response
        .writeHead(200, { etag: '"one"', 'content-length': content.length })
        .write(content.subarray(0, half));
      response.once('close', () => (closed = true));
    };
    const { body } = await add('/later.img.xz');
    // Everything that was sent has got through.
    await server.until(() =>
      Promise.resolve(
        parts().some((name) => readFileSync(join(server.folder, 'uploads', name)).length === half)
          ? true
          : null,
      ),
    );
    const stops = await Promise.all([1, 2, 3].map(() => server.call('POST', `/images/${body.id}/stop`)));
    expect(stops.map(({ status }) => status)).toContain(204);
    expect(stops.filter(({ status }) => ![204, 409].includes(status))).toEqual([]);
    expect((await ended(body.id)).message).toContain('it goes on where it stopped');
    await server.until(() => Promise.resolve(closed ? true : null));
    const told = await server
      .knex('log_entry')
      .where({ kind: 'image-refused' })
      .whereLike('text', '%later.img.xz%');
    expect(told).toHaveLength(1);
    expect(await server.call<Problem>('POST', `/images/${body.id}/stop`)).toMatchObject({
      status: 409,
      body: { code: 'image-not-read' },
    });
    behave = serving();
    asked = [];
    const image = await ended((await add('/later.img.xz')).body.id);
    expect(image).toMatchObject({ state: 'ready', packedSha256: digest });
    expect(asked.find(({ url }) => url === '/later.img.xz')?.range).toBe(`bytes=${String(half)}-`);
  });

  it('goes on by itself when the program was stopped in the middle and starts again', async () => {
    for (const { id } of (await server.call<Image[]>('GET', '/images')).body)
      await server.call('DELETE', `/images/${id}`);
    const half = content.length >> 1;
    behave = (request, response) => {
      if (!request.url?.endsWith('.img.xz')) return serving()(request, response);
      response
        .writeHead(200, { etag: '"one"', 'content-length': content.length })
        .write(content.subarray(0, half));
    };
    const { body } = await add('/again.img.xz');
    await server.until(() =>
      Promise.resolve(
        parts().some((name) => readFileSync(join(server.folder, 'uploads', name)).length === half)
          ? true
          : null,
      ),
    );
    behave = serving();
    asked = [];
    await server.restart();
    expect(await ended(body.id)).toMatchObject({ state: 'ready', message: '', packedSha256: digest });
    expect(asked.find(({ url }) => url === '/again.img.xz')?.range).toBe(`bytes=${String(half)}-`);
  });

  it('is not cut down by taking off the shelf an older image of the same address', async () => {
    const [older] = (await server.call<Image[]>('GET', '/images')).body.filter(
      ({ state }) => state === 'ready',
    );
    const half = content.length >> 1;
    let more: () => void = () => undefined;
    behave = (request, response) => {
      if (!request.url?.endsWith('.img.xz')) return serving()(request, response);
      response
        .writeHead(200, { etag: '"one"', 'content-length': content.length })
        .write(content.subarray(0, half));
      more = () => response.end(content.subarray(half));
    };
    const { body } = await server.call<Image>('POST', '/images', {
      path: older!.address,
      title: 'anew',
      sha256: '',
    });
    await server.until(() => Promise.resolve(parts().some((name) => name.endsWith('.part')) ? true : null));
    expect((await server.call('DELETE', `/images/${older!.id}`)).status).toBe(204);
    more();
    expect(await ended(body.id)).toMatchObject({ state: 'ready', message: '', packedSha256: digest });
  });

  it('that fails is forgotten with what arrived of it when it is taken off the shelf', async () => {
    const half = content.length >> 1;
    behave = (request, response) => {
      if (!request.url?.endsWith('.img.xz')) return serving()(request, response);
      response
        .writeHead(200, { etag: '"three"', 'content-length': content.length })
        .write(content.subarray(0, half));
    };
    const { body } = await add('/never.img.xz');
    await server.until(() => Promise.resolve(parts().length > 0 ? true : null));
    await server.call('POST', `/images/${body.id}/stop`);
    await ended(body.id);
    expect((await server.call('DELETE', `/images/${body.id}`)).status).toBe(204);
    await nothingLeft();
  });

  it.each(['https://', 'http://', 'http://[::1'])(
    '%s is no address, and is answered at once',
    async (path) => {
      const { status, body } = await server.call<Problem>('POST', '/images', { path, title: '', sha256: '' });
      expect([status, body.code]).toEqual([422, 'image-unreadable']);
    },
  );
});
