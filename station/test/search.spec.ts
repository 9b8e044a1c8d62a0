import { execFileSync, spawn } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { probeTcp, sweep, searchInThread, type SweepHit } from '../src/index';

/** A search while the loop is starved, without a way to the addresses, and in a thread of its own. */

const root = join(__dirname, '../..');
const program = join(root, 'server/dist/search-worker.js');
const servers: Server[] = [];
afterEach(() => {
  for (const server of servers.splice(0)) server.close();
});

async function greeter(address: string, port = 0): Promise<number> {
  const server = createServer((socket) => {
    socket.on('error', () => undefined);
    socket.write('220 hello\r\n');
  });
  servers.push(server);
  await new Promise<void>((resolve) => server.listen(port, address, resolve));
  return (server.address() as { port: number }).port;
}

/** Keeps the loop busy, as thousands of events in one go do. */
const busy = (milliseconds: number): void => {
  const end = performance.now() + milliseconds;
  while (performance.now() < end);
};

describe('time that is waited for an answer', () => {
  it('counts only while the loop was alive: an answer that lies there is read before it is called silent', async () => {
    const port = await greeter('127.41.4.1');
    const asked = probeTcp('127.41.4.1', port, 200, 300);
    await new Promise((resolve) => setImmediate(resolve));
    // Much longer than the time-out, in one go and again.
    busy(900);
    await new Promise((resolve) => setTimeout(resolve, 1));
    busy(500);
    expect(await asked).toMatchObject({ answer: 'open', banner: '220 hello' });
  });
});

describe('a search of four thousand addresses to which there is no way', () => {
  const asRoot = process.getuid?.() === 0;
  let folder: string;
  beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'nest-mark-search-'))));
  afterAll(() => rmSync(folder, { recursive: true, force: true }));

  (asRoot ? it : it.skip)(
    'finds all fourteen boards that are there, and tells the rest as unreachable',
    async () => {
      // A namespace of our own without a default route: every other address fails at once.
      const name = `nms-${String(process.pid)}`;
      const ip = (...args: string[]): string => execFileSync('ip', args, { encoding: 'utf8' });
      ip('netns', 'add', name);
      try {
        ip('-n', name, 'link', 'set', 'lo', 'up');
        ip('-n', name, 'addr', 'add', '10.204.3.0/28', 'dev', 'lo');
        const script = join(folder, 'search.cjs');
        writeFileSync(
          script,
          `const { Worker } = require('node:worker_threads');
        const { createServer } = require('node:net');
        const boards = Array.from({ length: 14 }, (_, at) => '10.204.3.' + (at + 1));
        const addresses = [];
        for (let c = 0; c < 16; c++) for (let d = 0; d < 256; d++) addresses.push('10.204.' + c + '.' + d);
        let up = 0;
        for (const address of boards) createServer((s) => { s.on('error', () => {}); s.write('220 x\\r\\n'); }).listen(2222, address, () => { if (++up === boards.length) begin(); });
        function begin() {
          const worker = new Worker(${JSON.stringify(program)}, { workerData: { addresses, port: 2222 } });
          const hits = [];
          worker.on('message', (m) => {
            if (m.hit) hits.push(m.hit.address);
            if (m.ended) { console.log(JSON.stringify({ hits: hits.length, ...m.ended })); process.exit(); }
          });
        }`,
        );
        const child = spawn('ip', ['netns', 'exec', name, process.execPath, script]);
        let out = '';
        child.stdout.on('data', (data: Buffer) => (out += data.toString()));
        await new Promise((resolve) => child.once('close', resolve));
        const ended = JSON.parse(out) as { hits: number; done: number; unreachable: number };
        expect([ended.hits, ended.done]).toEqual([14, 4096]);
        // All but the addresses of its own small network.
        expect(ended.unreachable).toBeGreaterThanOrEqual(4096 - 16);
      } finally {
        ip('netns', 'del', name);
      }
    },
  );
});

describe('the thread of a search', () => {
  it('tells hosts as they answer, how far it is, and stops when asked', async () => {
    const port = await greeter('127.41.5.9');
    const addresses = Array.from({ length: 254 }, (_, at) => `127.41.5.${String(at + 1)}`);
    const hits: SweepHit[] = [];
    const options = {
      signal: new AbortController().signal,
      onHit: (hit: SweepHit) => void hits.push(hit),
      onProgress: () => undefined,
    };
    const ended = await searchInThread(program)({ addresses, port }, options);
    expect([ended, hits.map(({ address }) => address)]).toEqual([
      { done: 254, total: 254, unreachable: 0 },
      ['127.41.5.9'],
    ]);
    const stop = new AbortController();
    stop.abort();
    const stopped = await searchInThread(program)({ addresses, port }, { ...options, signal: stop.signal });
    expect(stopped.done).toBe(0);
  });

  it('that cannot begin is an error and not an empty search', async () => {
    const options = {
      signal: new AbortController().signal,
      onHit: () => undefined,
      onProgress: () => undefined,
    };
    await expect(
      searchInThread('/nowhere.js')({ addresses: ['127.0.0.1'], port: 9 }, options),
    ).rejects.toThrow();
  });

  it('a host that answers late is asked for its key while the others are still being tried', async () => {
    const port = await greeter('127.41.6.1');
    const order: string[] = [];
    await sweep(
      Array.from({ length: 300 }, (_, at) => `127.41.6.${String((at % 254) + 1)}`),
      port,
      {
        inFlight: 4,
        onHit: () => void order.push('hit'),
        onProgress: ({ done }) => {
          if (done === 300) order.push('end');
        },
      },
    );
    expect(order[0]).toBe('hit');
  });
});
