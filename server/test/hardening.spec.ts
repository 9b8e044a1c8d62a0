import { execFileSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { existsSync, mkdtempSync, readFileSync, rmSync, statSync, symlinkSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Batch, Image } from '@nest-mark/core';
import { isOutage } from '../src/platform/database/outage';
import { toProblem } from '../src/platform/http/problems';
import { isSafe } from '../src/platform/http/route';
import { begin, piece } from './helpers/sending';
import { baseImage, TestServer, tankPlan, endpoints } from './helpers/server';
import { many } from '../../core/test/helpers/soak';

/** Requests that nobody means well, files in the wrong places, and clients that do not read. */

const network = '127.61.29';
let server: TestServer;
let batch: Batch;
let folder: string;
beforeAll(async () => {
  server = await TestServer.start(network);
  batch = await server.batch(tankPlan(2, null, network));
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-odd-'));
});
afterAll(async () => {
  await server.end();
  rmSync(folder, { recursive: true, force: true });
});

/** What goes over the wire, as it stands. */
const raw = async (
  method: string,
  path: string,
  body: string | Buffer,
  headers: Record<string, string> = {},
) => {
  const response = await fetch(`${server.url}/api${path}`, {
    method,
    headers: {
      'X-Nest-Mark': '1',
      'Idempotency-Key': randomUUID(),
      'Content-Type': 'application/json',
      ...headers,
    },
    ...(method === 'GET' ? {} : { body }),
  });
  const text = await response.text();
  return { status: response.status, detail: (JSON.parse(text || '{}') as { detail?: string }).detail ?? '' };
};

describe('requests that are no good', () => {
  const DEEP = many(10_000, 100_000);
  const deep = (levels: number): string => `${'{"a":'.repeat(levels)}1${'}'.repeat(levels)}`;
  const odd: [string, string][] = [
    ['NUL in a text', '{"x":"a\\u0000b"}'],
    ['half of a pair', '{"x":"\\ud800"}'],
    ['the other half, as a name', '{"\\udc00":1}'],
    ['a number of thirty digits', `{"x":${'9'.repeat(30)}}`],
    ['an object 200 deep', deep(200)],
    [`an object ${String(DEEP)} deep`, deep(DEEP)],
    ['a list', '[]'],
    ['null', 'null'],
    ['no JSON', '{"x":'],
    ['nothing', ''],
    ['a prototype', '{"__proto__":{"admin":true},"constructor":1}'],
  ];
  const id = '00000000-0000-4000-8000-000000000000';
  const paths = endpoints
    .filter(({ method }) => !isSafe(method))
    .map(({ method, path }) => ({
      method: method.toUpperCase(),
      path: path
        .replace(/:(id|deviceId|token)/g, id)
        .replace(':key', 'k')
        .replace(':file', 'known_hosts'),
    }));

  it.each(odd)('%s: a sentence at every address, never a failure of the server', async (_name, body) => {
    for (const { method, path } of paths) {
      const { status, detail } = await raw(method, path, body);
      if (status >= 500) throw new Error(`${method} ${path} with ${body.slice(0, 40)}: ${String(status)}`);
      if (status >= 400) expect(detail.length).toBeGreaterThan(10);
    }
  });

  it.each([
    ['an unknown charset', { 'Content-Type': 'application/json; charset=klingon' }, 415],
    ['an unknown encoding', { 'Content-Encoding': 'middle-out' }, 415],
    ['text', { 'Content-Type': 'text/plain' }, 400],
  ])('%s: a sentence', async (_name, headers, status) => {
    const answer = await raw('POST', '/batches', '{}', headers);
    expect([answer.status, answer.detail.length > 10]).toEqual([status, true]);
  });

  it('addresses that are none: a sentence', async () => {
    for (const path of [
      '/batches/%00',
      '/batches/%ff',
      '/batches/%',
      '/log?before=' + '9'.repeat(30),
      '/log?limit=1e99',
      '/log?cardSerial=%00',
      `/batches/${'a'.repeat(5000)}`,
      '/slots/%00/check',
    ]) {
      const { status } = await raw('GET', path, '');
      expect([path.slice(0, 30), status >= 400 && status < 500]).toEqual([path.slice(0, 30), true]);
    }
  });

  it('other pages, also of this machine, neither write nor read', async () => {
    const get = (headers: Record<string, string>) => raw('GET', '/batches', '', headers);
    for (const site of ['cross-site', 'same-site'])
      expect((await get({ 'Sec-Fetch-Site': site })).status).toBe(403);
    expect((await get({ Origin: 'http://127.0.0.1:9999' })).status).toBe(403);
    for (const site of ['same-origin', 'none'])
      expect((await get({ 'Sec-Fetch-Site': site })).status).toBe(200);
    expect((await raw('POST', '/batches', '{}', { 'X-Nest-Mark': '' })).status).toBe(403);
    const policy = (await fetch(`${server.url}/api/health`)).headers.get('content-security-policy') ?? '';
    expect(policy).toContain("base-uri 'self'");
    expect(policy).toContain("form-action 'self'");
  });

  it('what the database and the disk say becomes a sentence that says what is full and what was not lost', () => {
    const said = (error: object) => toProblem(Object.assign(new Error('x'), error));
    expect(said({ code: '53100' })).toMatchObject({ status: 507, code: 'database-full' });
    expect(said({ code: '53100' }).message).toMatch(
      /saved before is whole.*disk that holds the database is full/,
    );
    expect(said({ code: 'ENOSPC' })).toMatchObject({ status: 507, code: 'disk-full' });
    expect(said({ code: '57P01' })).toMatchObject({ status: 503, code: 'database-away' });
    expect(said({ code: '22P05' })).toMatchObject({ status: 422, code: 'not-storable' });
    expect(said({}).status).toBe(500);
    expect([
      isOutage({ code: 'ECONNREFUSED' }),
      isOutage({ code: '23505' }),
      isOutage(new Error('x')),
    ]).toEqual([true, false, false]);
  });
});

describe('names', () => {
  it.each(['tank\n  ProxyCommand sh', 'tank\u2028x', 'a\tb', 'a\u0085b', 'x\u0007'])(
    'with a control character (%j) are refused in a plan, a network, a board and a plan file',
    async (name) => {
      const plan = tankPlan(1, null, network);
      const devices = plan.devices.map((device) => ({ ...device, hostName: name }));
      expect(
        await server.refused('POST', '/batches', { plan: { ...plan, devices }, secrets: {} }),
      ).toMatchObject({ status: 422 });
      expect(
        await server.refused('POST', '/batches', { plan: { ...plan, name }, secrets: {} }),
      ).toMatchObject({ status: 422 });
      const file = await server.ok<{ plan: Batch['plan'] }>('POST', `/batches/${batch.id}/plan-file`, {
        passphrase: null,
      });
      const spoilt = {
        ...file,
        plan: { ...file.plan, devices: file.plan.devices.map((device) => ({ ...device, hostName: name })) },
      };
      expect(
        await server.refused('POST', '/plan-files', { file: JSON.stringify(spoilt), passphrase: null }),
      ).toMatchObject({ status: 422 });
    },
  );

  it('an export of a card is refused like an arming while the plan has a finding that stops', async () => {
    const image = await server.shelve(baseImage);
    const made = await server.batch({ ...tankPlan(1, image.id, network), country: '' });
    const problem = await server.refused(
      'POST',
      `/batches/${made.id}/devices/${made.plan.devices[0]!.id}/export`,
      { form: 'files' },
    );
    expect(problem).toMatchObject({ status: 409, code: 'plan-stops' });
    expect(problem.detail).toContain('Nothing was exported');
  });

  it('an import that fails leaves no network and no board behind', async () => {
    const network1 = await server.newNetwork(
      { title: 'Only in the file', ssid: 'Only' },
      'low tide at seven',
    );
    const made = await server.batch({
      ...tankPlan(1, null, network),
      networks: [{ networkId: network1.id, priority: 1 }],
    });
    const file = await server.ok<{ networks: object[]; plan: Batch['plan'] }>(
      'POST',
      `/batches/${made.id}/plan-file`,
      { passphrase: null },
    );
    const before = await server.knex('network').count();
    // The batch itself cannot be kept: a mark that comes twice is found only when all of it is written.
    const devices = [
      file.plan.devices[0]!,
      { ...file.plan.devices[0]!, id: randomUUID(), nest: 'A2', hostName: 'twin' },
    ];
    const spoilt = {
      ...file,
      networks: file.networks.map((one) => ({ ...one, ssid: 'Another one' })),
      plan: { ...file.plan, devices: devices.map((device) => ({ ...device, mark: 'ZZZZZ' })) },
    };
    const problem = await server.refused('POST', '/plan-files', {
      file: JSON.stringify(spoilt),
      passphrase: null,
    });
    expect(problem.status).toBeLessThan(500);
    expect(await server.knex('network').count()).toEqual(before);
  });
});

describe('files of this machine', () => {
  it('a path that begins like the upload folder and leaves it again is read and not deleted', async () => {
    const key = join(server.folder, 'secret.key');
    execFileSync('mkdir', ['-p', join(server.folder, 'uploads')]);
    const before = readFileSync(key);
    for (const path of [
      `${server.folder}/uploads/../secret.key`,
      `${server.folder}/uploads/./../secret.key`,
      key,
    ]) {
      const image = await server.shelve(path);
      expect(image.state).toBe('failed');
    }
    expect(readFileSync(key).equals(before)).toBe(true);
    // An own copy that lies in the upload folder by another name stays as well: only what came as an upload goes.
    const own = join(server.folder, 'uploads', `${randomUUID()}.part`);
    writeFileSync(own, 'mine');
    await server.shelve(own);
    expect(readFileSync(own, 'utf8')).toBe('mine');
  });

  it('a file that was sent goes when it was read, and only that', async () => {
    const bytes = readFileSync(baseImage).subarray(0, 1000);
    const id = await begin(server, { filename: 'cut.img.xz', size: 1000, title: 'cut' });
    await piece(server, id, 0, bytes);
    await server.until(async () => {
      const images = await server.ok<Image[]>('GET', '/images');
      return images.find(({ title }) => title === 'cut')?.state === 'failed' ? true : null;
    });
    await server.until(() =>
      Promise.resolve(existsSync(join(server.folder, 'uploads', `${id}.part`)) ? null : true),
    );
  });

  it('a pipe, a device, a folder or a link to one, seventy times: a sentence each, and pages are served on', async () => {
    const pipe = join(folder, 'pipe');
    execFileSync('mkfifo', [pipe]);
    symlinkSync('/dev/zero', join(folder, 'link'));
    const odd = [
      pipe,
      '/dev/zero',
      folder,
      join(folder, 'link'),
      '/dev/stdin',
      '/proc/self/mem/x',
      'a\u0000b',
    ];
    const answers = await Promise.all(
      Array.from({ length: 70 }, (_, index) =>
        raw(
          'POST',
          index % 2 ? '/images' : '/checks/path',
          JSON.stringify({ path: odd[index % odd.length], title: '', sha256: '' }),
        ),
      ),
    );
    for (const { status, detail } of answers)
      expect([status >= 400 && status < 500, detail.length > 10]).toEqual([true, true]);
    expect((await raw('GET', '/batches', '')).status).toBe(200);
  });

  it('no folder of the data can be entered by others, whatever the umask was', () => {
    const open = execFileSync('find', [server.folder, '-type', 'd', '-perm', '/077'], { encoding: 'utf8' });
    expect(open.replace(`${server.folder}/uploads\n`, '')).toBe('');
    expect(statSync(server.folder).mode & 0o777).toBe(0o700);
  });
});

describe('a client of the event stream that does not read', () => {
  it('is ended, fifty of them too, and the others go on', async () => {
    const { port } = new URL(server.url);
    const stalled = await Promise.all(
      Array.from(
        { length: 50 },
        () =>
          new Promise<ReturnType<typeof connect>>((resolve) => {
            const socket = connect(Number(port), '127.0.0.1', () => {
              socket.write('GET /api/events HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n');
              socket.pause();
              resolve(socket);
            });
            socket.on('error', () => undefined);
          }),
      ),
    );
    let closed = 0;
    for (const socket of stalled) socket.on('close', () => closed++);
    await server.until(() => Promise.resolve(server.domains.platform.events.listeners >= 50 ? true : null));
    const before = process.memoryUsage().rss;
    const text = 'x'.repeat(64 << 10);
    const image = { ...(await server.ok<Image[]>('GET', '/images'))[0]!, message: text };
    for (let round = 0; round < 400; round++) {
      server.domains.platform.events.tell({ type: 'image', image });
      if (round % 20 === 0) await new Promise((resolve) => setImmediate(resolve));
    }
    await server.until(() => Promise.resolve(server.domains.platform.events.listeners === 0 ? true : null));
    // 50 readers of 25 MB each would be 1.2 GB if it were kept for them.
    expect(process.memoryUsage().rss - before).toBeLessThan(500 << 20);
    for (const socket of stalled) socket.destroy();
    expect((await raw('GET', '/batches', '')).status).toBe(200);
  });
});

describe('work that grows with the history', () => {
  it('progress asks the database as often after a hundred rounds as after two', async () => {
    const image = (await server.ok<Image[]>('GET', '/images')).find(({ state }) => state === 'ready')!;
    const made = await server.batch({ ...tankPlan(2, image.id, network), name: 'Old hands' });
    const asked = async (): Promise<number> => {
      let count = 0;
      const listen = (): void => {
        count++;
      };
      server.knex.on('query', listen);
      await server.ok('GET', `/batches/${made.id}/progress`);
      server.knex.removeListener('query', listen);
      return count;
    };
    const add = async (number: number): Promise<void> => {
      const id = randomUUID();
      const identity = { path: 'p', size: 1, serial: 's', content: '' };
      const deviceId = made.plan.devices[0]!.id;
      await server.leaveRound(id, made.id, [{ slotId: `slot-${String(number)}`, deviceId, identity }]);
      const { repository } = server.domains.runs;
      await repository.endItems(id, { state: 'failed', message: '' }, server.knex);
      await repository.end(id, 'done', '', server.knex);
    };
    for (const number of [1, 2]) await add(number);
    // What holds for a while is asked for before it is counted.
    const steady = async (): Promise<number> => {
      await asked();
      return asked();
    };
    const few = await steady();
    for (let number = 3; number <= 100; number++) await add(number);
    expect(await steady()).toBe(few);
    const { rounds } = await server.ok<{ rounds: unknown[] }>('GET', `/batches/${made.id}/progress`);
    expect(rounds.length).toBeLessThanOrEqual(30);
  });
});
