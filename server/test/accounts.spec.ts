import { execFileSync, spawn } from 'node:child_process';
import { createServer, request } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { accountBehind } from '../src/platform/sessions/kernel-account';
import { TestServer } from './helpers/server';
import { many } from '../../core/test/helpers/soak';

/** Who may use the program, as the kernel tells it: tried with other accounts, IPv6, and another network namespace. */

const asRoot = process.getuid?.() === 0;
/** Below those that the kernel gives to whoever asks for any (ip(7), ip_local_port_range): nobody has them by chance. */
const OWN_PORTS = 21_000;
const NOBODY = 65_534;
const OTHER = 12_345;
let server: TestServer;
beforeAll(async () => {
  server = await TestServer.start('127.61.27');
});
afterAll(() => server.end());

/** Runs a program of Node's as some account. @returns what it printed */
const run = (uid: number, program: string, ...args: string[]): Promise<string> =>
  new Promise((resolve, reject) => {
    const child = spawn(process.execPath, ['-e', program, ...args], { uid, gid: uid, cwd: '/' });
    let out = '';
    let wrong = '';
    child.stdout.on('data', (data: Buffer) => (out += data.toString()));
    child.stderr.on('data', (data: Buffer) => (wrong += data.toString()));
    child.once('error', reject);
    child.once('close', () => (wrong === '' ? resolve(out.trim()) : reject(new Error(wrong))));
  });

/** A request by another account, in a process of its own. @returns status and body */
async function as(
  uid: number,
  path: string,
  method = 'GET',
  cookie = '',
): Promise<{ status: number; body: string; cookie: string }> {
  const program = `
    const { request } = require('node:http');
    const r = request(process.argv[1] + process.argv[2], { method: process.argv[3], headers: { 'X-Nest-Mark': '1', Accept: 'text/html', ...(process.argv[4] ? { Cookie: process.argv[4] } : {}) } }, (response) => {
      let body = '';
      response.on('data', (part) => (body += part));
      response.on('end', () => console.log(JSON.stringify({ status: response.statusCode, body, cookie: (response.headers['set-cookie'] || [''])[0] })));
    });
    r.on('error', (error) => console.log(JSON.stringify({ status: 0, body: error.message, cookie: '' })));
    r.end();`;
  return JSON.parse(await run(uid, program, server.url, path, method, cookie)) as {
    status: number;
    body: string;
    cookie: string;
  };
}

(asRoot ? describe : describe.skip)('another account of this computer', () => {
  it.each([
    '/api/batches',
    '/api/log',
    '/api/events',
    '/',
    '/enter',
    '/enter?key=guess',
    '/api/openapi.json',
  ])('gets nothing at %s but how it is let in', async (path) => {
    const { status, body } = await as(NOBODY, path);
    expect(status).toBe(401);
    expect(body).toMatch(/one-time key|prints a new one/);
    expect(body).not.toContain('openapi');
  });

  it('cannot write, reveal or read files of root', async () => {
    for (const path of ['/api/checks/path/files', '/api/keys', '/api/practice/actions', '/api/batches'])
      expect((await as(NOBODY, path, 'POST')).status).toBe(401);
  });

  it('may ask whether the program is well', async () => {
    expect((await as(NOBODY, '/api/health')).status).toBe(200);
  });

  it('is let in once by the address that was printed, and then by its session; the address is spent', async () => {
    let address = '';
    await server.restart({ onKey: (next) => (address = next) });
    const { keyAddress } = server;
    const path = keyAddress.slice(server.url.length);
    const entered = await as(NOBODY, path);
    expect([entered.status, entered.cookie]).toEqual([
      303,
      expect.stringMatching(
        new RegExp(`^nm-${new URL(server.url).port}=[\\w-]{43}; .*HttpOnly; SameSite=Strict`),
      ),
    ]);
    const cookie = entered.cookie.split(';')[0]!;
    expect((await as(NOBODY, '/api/batches', 'GET', cookie)).status).toBe(200);
    expect((await as(NOBODY, '/api/batches', 'GET', cookie.replace(/=.*/, '=x'))).status).toBe(401);
    expect((await as(OTHER, path)).status).toBe(401);
    expect(address).toMatch(/\/enter\?key=[\w-]{32}$/);
    expect(address).not.toBe(keyAddress);
  });

  it('an account that was named is let in, and root always', async () => {
    await server.restart({ accounts: new Set([0, OTHER]) });
    expect((await as(OTHER, '/api/batches')).status).toBe(200);
    expect((await as(0, '/api/batches')).status).toBe(200);
    expect((await as(NOBODY, '/api/batches')).status).toBe(401);
    await server.restart();
  });

  it('over one connection after another on one port of its own is told apart each time', async () => {
    // The same client port is used at once by one account and then by another.
    const program = (port: number): string => `
      const { connect } = require('node:net');
      const s = connect({ host: '127.0.0.1', port: ${new URL(server.url).port}, localPort: ${String(port)} });
      s.on('error', (e) => { console.log(e.code); process.exit(); });
      s.write('GET /api/batches HTTP/1.1\\r\\nHost: 127.0.0.1\\r\\nConnection: close\\r\\n\\r\\n');
      s.once('data', (d) => { console.log(d.toString().slice(9, 12)); s.resetAndDestroy(); });`;
    const asAccount = (uid: number, port: number): Promise<string> => run(uid, program(port));
    for (let turn = 0; turn < many(2, 6); turn++) {
      const port = OWN_PORTS + turn;
      expect([await asAccount(0, port), await asAccount(NOBODY, port), await asAccount(0, port)]).toEqual([
        '200',
        '401',
        '200',
      ]);
    }
  });

  it('that hangs up before it is looked at, and whose port the owner takes at once, gets nothing done', async () => {
    const { port } = new URL(server.url);
    const before = (await server.ok<unknown[]>('GET', '/batches')).length;
    const program = `
      const { connect } = require('node:net');
      const body = '{"plan":{},"secrets":{}}';
      for (let n = 0; n < 40; n++) {
        const s = connect({ host: '127.0.0.1', port: ${port}, localPort: ${String(OWN_PORTS + 100)} + n });
        s.on('error', () => {});
        s.on('connect', () => { s.write('POST /api/batches HTTP/1.1\\r\\nHost: 127.0.0.1\\r\\nX-Nest-Mark: 1\\r\\nContent-Type: application/json\\r\\nContent-Length: ' + body.length + '\\r\\n\\r\\n' + body); s.resetAndDestroy(); });
      }
      setTimeout(() => process.exit(), 300);`;
    await run(NOBODY, program);
    await Promise.all(
      Array.from(
        { length: 40 },
        (_, n) =>
          new Promise<void>((resolve) => {
            const socket = connect({ host: '127.0.0.1', port: Number(port), localPort: OWN_PORTS + 100 + n });
            socket.on('error', () => resolve());
            socket.on('connect', () => socket.end());
            socket.on('close', () => resolve());
          }),
      ),
    );
    expect((await server.ok<unknown[]>('GET', '/batches')).length).toBe(before);
  });
});

describe('whose a connection is', () => {
  it('is told over IPv4, IPv6, and IPv4 in an IPv6 socket', async () => {
    for (const [listen, ask] of [
      ['127.0.0.1', '127.0.0.1'],
      ['::1', '::1'],
      ['::', '127.0.0.1'],
      ['::', '::1'],
    ] as const) {
      const seen: (number | null)[] = [];
      const one = createServer((_request, response) => response.end('x'));
      one.on('connection', (socket) => void accountBehind(socket).then((uid) => seen.push(uid)));
      await new Promise<void>((resolve) => one.listen(0, listen, resolve));
      const { port } = one.address() as AddressInfo;
      await new Promise<void>((resolve) =>
        request({ host: ask, port }, (response) => {
          response.resume();
          // The connection stays open, so that it can be looked at.
          response.on('end', resolve);
        }).end(),
      );
      await server.until(() => Promise.resolve(seen.length > 0 ? true : null));
      expect(seen).toEqual([process.getuid?.()]);
      one.closeAllConnections();
      await new Promise((resolve) => one.close(resolve));
    }
  });

  it('is not told when the other side has hung up already', async () => {
    let told: number | null | undefined;
    const one = createServer();
    one.on('connection', (socket) => {
      // Looked at late, as on a busy machine.
      setTimeout(() => void accountBehind(socket).then((uid) => (told = uid)), 200);
    });
    await new Promise<void>((resolve) => one.listen(0, '127.0.0.1', resolve));
    const socket = connect((one.address() as AddressInfo).port, '127.0.0.1');
    socket.on('connect', () => socket.resetAndDestroy());
    await server.until(() => Promise.resolve(told === undefined ? null : true));
    expect(told).toBeNull();
    await new Promise((resolve) => one.close(resolve));
  });

  (asRoot ? it : it.skip)(
    'is not told through another network namespace, so the key is needed there',
    async () => {
      const name = `nm-${String(process.pid)}`;
      const ip = (...args: string[]): string => execFileSync('ip', args, { encoding: 'utf8' });
      const seen: (number | null)[] = [];
      const one = createServer((_request, response) => response.end('x'));
      one.on('connection', (socket) => void accountBehind(socket).then((uid) => seen.push(uid)));
      ip('netns', 'add', name);
      try {
        ip('link', 'add', `${name}a`, 'type', 'veth', 'peer', 'name', `${name}b`, 'netns', name);
        ip('addr', 'add', '10.203.7.1/30', 'dev', `${name}a`);
        ip('link', 'set', `${name}a`, 'up');
        ip('-n', name, 'addr', 'add', '10.203.7.2/30', 'dev', `${name}b`);
        ip('-n', name, 'link', 'set', `${name}b`, 'up');
        await new Promise<void>((resolve) => one.listen(0, '10.203.7.1', resolve));
        const { port } = one.address() as AddressInfo;
        const script = join(tmpdir(), `${name}.cjs`);
        writeFileSync(
          script,
          `require('node:http').get('http://10.203.7.1:${String(port)}', (r) => r.resume())`,
        );
        const asked = new Promise((resolve) => {
          spawn('ip', ['netns', 'exec', name, process.execPath, script]).on('close', resolve);
        });
        await server.until(() => Promise.resolve(seen.length > 0 ? true : null));
        await asked;
        rmSync(script);
        expect(seen).toEqual([null]);
      } finally {
        one.closeAllConnections();
        await new Promise((resolve) => one.close(resolve));
        ip('netns', 'del', name);
      }
    },
  );
});
