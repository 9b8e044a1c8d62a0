import { execFileSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { existsSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createServer as createSecureServer } from 'node:https';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import {
  addressName,
  fetchImage,
  forgetFetched,
  isNewer,
  publishedBeside,
  webAddress,
  type FetchOptions,
} from '../src/index';

/** A small server on loopback that behaves well or badly, against which fetching is tried. */

const content = randomBytes(300_000);
const digest = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');
const options: FetchOptions = { largest: 10e6, leaveFree: 0, patience: 1500, attempts: 4, rest: 1 };

type Behaviour = (request: IncomingMessage, response: ServerResponse, count: number) => void;

let server: Server;
let folder: string;
let behave: Behaviour;
let asked: { method: string; url: string; range: string | undefined }[];

beforeAll(async () => {
  server = createServer((request, response) => {
    asked.push({ method: request.method ?? '', url: request.url ?? '', range: request.headers.range });
    behave(request, response, asked.length);
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
});
beforeEach(() => {
  asked = [];
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-fetch-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const at = (path = '/os.img.xz'): string =>
  `http://127.0.0.1:${String((server.address() as AddressInfo).port)}${path}`;
const target = (): string => join(folder, 'part');

/** A good server of a file, by RFC 9110: ranges, If-Range, validators. */
const serve =
  (file: Buffer = content, etag = '"one"'): Behaviour =>
  (request, response) => {
    const headers = { etag, 'last-modified': 'Sat, 28 Nov 2026 10:00:00 GMT', 'accept-ranges': 'bytes' };
    const first = Number(/^bytes=(\d+)-$/.exec(request.headers.range ?? '')?.[1] ?? -1);
    const fits = request.headers['if-range'] === undefined || request.headers['if-range'] === etag;
    if (first >= file.length && fits)
      response.writeHead(416, { ...headers, 'content-range': `bytes */${String(file.length)}` }).end();
    else if (first >= 0 && fits)
      response
        .writeHead(206, {
          ...headers,
          'content-length': file.length - first,
          'content-range': `bytes ${String(first)}-${String(file.length - 1)}/${String(file.length)}`,
        })
        .end(file.subarray(first));
    else
      response
        .writeHead(200, { ...headers, 'content-length': file.length })
        .end(request.method === 'HEAD' ? undefined : file);
  };

/** Sends so many octets of what it should, then breaks the line. */
const cutting =
  (after: number, good: Behaviour = serve()): Behaviour =>
  (request, response, count) => {
    const write = response.end.bind(response);
    response.end = ((piece?: Buffer) => {
      if (!piece || piece.length <= after) return write(piece as Buffer);
      response.write(piece.subarray(0, after));
      // A line that breaks takes along what was on it: it breaks once everything has got through.
      const first = Number(/^bytes=(\d+)-$/.exec(request.headers.range ?? '')?.[1] ?? 0);
      const look = setInterval(() => {
        if (!response.destroyed && (statSync(target(), { throwIfNoEntry: false })?.size ?? 0) < first + after)
          return;
        clearInterval(look);
        response.destroy();
      }, 2);
      return response;
    }) as typeof response.end;
    good(request, response, count);
  };

const got = (): Buffer => readFileSync(target());
const why = (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => 'nothing',
    (error: unknown) => `${(error as { code?: string }).code ?? ''}: ${(error as Error).message}`,
  );

describe('a file from an address', () => {
  it('arrives whole, with what the server says of it', async () => {
    behave = serve();
    const origin = await fetchImage(at(), target(), options);
    expect(digest(got())).toBe(digest(content));
    expect(origin).toEqual({
      address: at(),
      etag: '"one"',
      lastModified: 'Sat, 28 Nov 2026 10:00:00 GMT',
      length: content.length,
    });
  });

  it('goes on after each break where it stopped, and tells how far it is', async () => {
    behave = cutting(100_000);
    const seen: number[] = [];
    await fetchImage(at(), target(), { ...options, onProgress: ({ received }) => seen.push(received) });
    expect(digest(got())).toBe(digest(content));
    expect(asked.map(({ range }) => range)).toEqual([undefined, 'bytes=100000-', 'bytes=200000-']);
    expect(seen.at(-1)).toBe(content.length);
    expect([...seen].sort((a, b) => a - b)).toEqual(seen);
  });

  it('goes on in a later call, and begins anew when the file changed in between', async () => {
    behave = (request, response, count) =>
      count === 1 ? cutting(100_000)(request, response, count) : response.writeHead(503).end();
    expect(await why(fetchImage(at(), target(), options))).toMatch(/^broken: .*100 kB.* are kept/);
    behave = serve();
    asked = [];
    await fetchImage(at(), target(), options);
    expect(asked[0]?.range).toBe('bytes=100000-');
    expect(digest(got())).toBe(digest(content));

    await forgetFetched(target());
    const other = randomBytes(280_000);
    behave = (request, response, count) =>
      count === 1
        ? cutting(100_000)(request, response, count)
        : serve(other, '"two"')(request, response, count);
    asked = [];
    await fetchImage(at(), target(), options);
    expect(digest(got())).toBe(digest(other));
  });

  it('is not pieced together where a server ignores the condition and sends a part of another file', async () => {
    const other = randomBytes(content.length);
    behave = (request, response, count) => {
      if (count === 1) return cutting(100_000)(request, response, count);
      delete request.headers['if-range'];
      return serve(other, '"two"')(request, response, count);
    };
    await fetchImage(at(), target(), options);
    expect(digest(got())).toBe(digest(other));
  });

  it('is taken from the beginning where a server knows no parts, or names another place', async () => {
    behave = (request, response, count) => {
      if (count === 1) return cutting(100_000)(request, response, count);
      response.writeHead(206, {
        etag: '"one"',
        'content-range': `bytes 5-${String(content.length - 1)}/${String(content.length)}`,
      });
      if (count === 2) return response.end(content.subarray(5));
      response.destroy();
    };
    expect(await why(fetchImage(at(), target(), { ...options, attempts: 2 }))).toMatch(/^broken/);
    behave = (_request, response) =>
      response.writeHead(200, { 'content-length': content.length }).end(content);
    await fetchImage(at(), target(), options);
    expect(digest(got())).toBe(digest(content));
  });

  it('that has arrived already is not fetched again', async () => {
    behave = (request, response, count) =>
      count === 1 ? cutting(content.length - 1)(request, response, count) : response.destroy();
    await why(fetchImage(at(), target(), { ...options, attempts: 2 }));
    // The program died between the last octet and the end.
    writeFileSync(target(), content);
    behave = serve();
    asked = [];
    await fetchImage(at(), target(), options);
    expect(asked.map(({ range }) => range)).toEqual([`bytes=${String(content.length)}-`]);
    expect(digest(got())).toBe(digest(content));
  });

  it.each<[string, Behaviour, RegExp]>([
    [
      'nothing there',
      (_request, response) => response.writeHead(404).end('<html>'),
      /address: There is no file/,
    ],
    ['a login', (_request, response) => response.writeHead(403).end(), /address: .*without a login/],
    [
      'a circle',
      (request, response) => response.writeHead(302, { location: request.url }).end(),
      /address: .*in circles/,
    ],
    [
      'a way to nowhere',
      (_request, response) => response.writeHead(302, { location: 'ftp://127.0.0.1/x' }).end(),
      /address: This is no address/,
    ],
    ['a redirect without a place', (_request, response) => response.writeHead(302).end(), /address: /],
    [
      'another coding',
      (_request, response) => response.writeHead(200, { 'content-encoding': 'gzip' }).end(content),
      /address: .*another coding \(gzip\)/,
    ],
    [
      'a file that is too large',
      (_request, response) => response.writeHead(200, { 'content-length': 20e6 }).end(),
      /large: /,
    ],
    [
      'a file that never ends',
      (_request, response) => {
        const more = (): void => {
          while (!response.destroyed && response.write(content));
          response.once('drain', more);
        };
        more();
      },
      /large: /,
    ],
    ['a server that never answers', () => undefined, /broken: .*cannot be reached/],
    [
      'a server that stops in the middle',
      (_request, response) =>
        void response.writeHead(200, { 'content-length': content.length }).write(content.subarray(0, 1000)),
      /broken: /,
    ],
    [
      'less than the length that was told',
      (_request, response) =>
        response
          .writeHead(200, { 'content-length': content.length + 5 })
          .write(content, () => response.destroy()),
      /broken: /,
    ],
    [
      'nonsense',
      (_request, response) => void response.socket?.end('HTTP/1.1 two hundred\r\n\r\n'),
      /broken: /,
    ],
  ])('%s: is refused with a sentence', async (_what, behaviour, expected) => {
    behave = behaviour;
    expect(await why(fetchImage(at(), target(), { ...options, attempts: 2, patience: 300 }))).toMatch(
      expected,
    );
  });

  it('that arrived whole is not fetched again when the program dies before it is on the shelf', async () => {
    behave = serve();
    await fetchImage(at(), target(), options);
    asked = [];
    await fetchImage(at(), target(), options);
    expect(asked.map(({ range }) => range)).toEqual([`bytes=${String(content.length)}-`]);
    expect(digest(got())).toBe(digest(content));
    await forgetFetched(target());
    expect([target(), `${target()}.json`].map((path) => existsSync(path))).toEqual([false, false]);
  });

  it('is stopped at once when somebody says so, and kept', async () => {
    const control = new AbortController();
    behave = (_request, response) => {
      response
        .writeHead(200, { etag: '"one"', 'content-length': content.length })
        .write(content.subarray(0, 50_000));
    };
    const work = why(
      fetchImage(at(), target(), {
        ...options,
        patience: 60_000,
        signal: control.signal,
        onProgress: () => control.abort(),
      }),
    );
    expect(await work).toMatch(/^stopped: /);
    expect(got().length).toBeGreaterThan(0);
  });

  it('whose server shows no certificate of its name is not taken', async () => {
    const [key, certificate] = [join(folder, 'key'), join(folder, 'certificate')];
    execFileSync(
      'openssl',
      [
        'req',
        '-x509',
        '-newkey',
        'rsa:2048',
        '-nodes',
        '-subj',
        '/CN=elsewhere',
        '-days',
        '2',
        '-keyout',
        key,
        '-out',
        certificate,
      ],
      { stdio: 'ignore' },
    );
    const secure = createSecureServer(
      { key: readFileSync(key), cert: readFileSync(certificate) },
      (_request, response) => response.end(content),
    );
    await new Promise<void>((done) => secure.listen(0, '127.0.0.1', done));
    const address = `https://127.0.0.1:${String((secure.address() as AddressInfo).port)}/os.img`;
    expect(await why(fetchImage(address, target(), options))).toMatch(/address: The server does not prove/);
    expect(got().length).toBe(0);
    secure.close();
  });

  it('is the same file after whatever breaks, as long as it comes through at all', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.record({ after: fc.nat(400_000), kind: fc.constantFrom('cut', 'busy', 'gone') }), {
          maxLength: 6,
        }),
        async (breaks) => {
          await forgetFetched(target());
          asked = [];
          behave = (request, response, count) => {
            const now = breaks[count - 1];
            if (now?.kind === 'busy') response.writeHead(503).end();
            else if (now?.kind === 'gone') response.destroy();
            else if (now) cutting(now.after)(request, response, count);
            else serve()(request, response, count);
          };
          await fetchImage(at(), target(), { ...options, attempts: 8 });
          expect(digest(got())).toBe(digest(content));
        },
      ),
      { numRuns: 40 },
    );
  });
});

describe('what is published beside a file', () => {
  const list = `${digest(content)}  os.img.xz\n`;
  it('is looked for under the usual names', async () => {
    behave = (request, response) =>
      request.url === '/os/SHA256SUMS' ? response.end(list) : response.writeHead(404).end();
    expect(await publishedBeside(at('/os/os.img.xz'))).toBe(list);
    expect(asked.map(({ url }) => url)).toEqual([
      '/os/os.img.xz.sha256',
      '/os/os.img.xz.sha256sum',
      '/os/SHA256SUMS',
    ]);
  });

  it.each<[string, Behaviour]>([
    ['a page that says so with success', (_request, response) => response.end(`<html>${list}</html>`)],
    ['an endless list', (_request, response) => response.end('a'.repeat(3e6))],
    ['a server that breaks', (_request, response) => response.destroy()],
  ])('is nothing for %s', async (_what, behaviour) => {
    behave = behaviour;
    expect(await publishedBeside(at())).toBe('');
  });
});

describe('a list of digests that breaks off', () => {
  it('is none, and the next name is looked for', async () => {
    const list = `${digest(content)}  os.img.xz\n`;
    behave = (request, response) => {
      if (request.url === '/SHA256SUMS') return void response.end(list);
      response.writeHead(200, { 'content-length': 500 }).write('a'.repeat(100), () => response.destroy());
    };
    expect(await publishedBeside(at())).toBe(list);
  });

  it('because somebody stopped it says so', async () => {
    const control = new AbortController();
    behave = (_request, response) => {
      response.writeHead(200, { 'content-length': 500 }).write('a'.repeat(100), () => control.abort());
    };
    expect(await why(publishedBeside(at(), control.signal))).toMatch(/^stopped: /);
  });
});

describe('whether there is a newer one', () => {
  it('is told by the server’s own validators', async () => {
    behave = serve();
    const origin = await fetchImage(at(), target(), options);
    expect(await isNewer(origin)).toBe('same');
    expect(asked.at(-1)?.method).toBe('HEAD');
    behave = serve(content, '"two"');
    expect(await isNewer(origin)).toBe('newer');
    behave = (_request, response) => response.writeHead(200).end();
    expect(await isNewer(origin)).toBe('unknown');
    behave = (_request, response) => response.writeHead(404).end();
    expect(await why(isNewer(origin))).toMatch(/no file at this address/);
  });
});

it.each([
  ['ftp://127.0.0.1/x', null],
  ['file:///etc/passwd', null],
  ['os.img', null],
  [' http://127.0.0.1/os%20one.img.xz?x=1 ', 'os one.img.xz'],
  ['http://127.0.0.1/', 'image'],
  ['http://127.0.0.1/%', '%'],
])('%s as an address', (text, name) => {
  if (name === null) expect(() => webAddress(text)).toThrow('no address of a file');
  else expect(addressName(webAddress(text).href)).toBe(name);
});
