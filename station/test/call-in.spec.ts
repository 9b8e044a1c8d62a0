import { execFileSync, spawn } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { connect, createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { cardFilesOf, checkCharacter, noBase } from '@nest-mark/core';
import { callInAddress, readCallIn, type Clue } from '@nest-mark/core/find';
import { callInPlaces, callInScript } from '../../core/src/firstboot/call-in';
import { settings } from '../../core/test/helpers/plan';
import { callIn, ClueError } from '../src';
import { libraries, program } from './helpers/programs';

/** Boards that call: the listener against whatever connects, and the script with each program that it may find. */

const mark = `7KQ4${checkCharacter('7KQ4')}`;
const address = '127.62.31.254';

let heard: Clue[] = [];
let woken: (() => void)[] = [];
const hear = (clue: Clue): void => {
  heard.push(clue);
  for (const wake of woken.splice(0)) wake();
};
const stops: (() => Promise<void>)[] = [];
let port = 0;

/** A port that nobody has. */
const freePort = (): Promise<number> =>
  new Promise((resolve) => {
    const server = createServer().listen(0, address, () => {
      const found = (server.address() as { port: number }).port;
      server.close(() => resolve(found));
    });
  });
const listen = async (at = { address, port }): Promise<() => Promise<void>> => {
  const stop = await callIn.listen({ places: [], names: () => [], callIn: at, listPath: '' }, hear);
  stops.push(stop);
  return stop;
};
const post = (
  path: string,
  body: string,
  { method = 'POST', from = '127.62.31.7', headers = {} } = {},
): Promise<number> =>
  new Promise((resolve, reject) => {
    const sent = request(
      { host: address, port, path, method, localAddress: from, headers, agent: false },
      (response) => {
        response.resume();
        resolve(response.statusCode ?? 0);
      },
    );
    sent.on('error', reject);
    sent.end(body);
  });

beforeEach(async () => {
  heard = [];
  woken = [];
  port = await freePort();
});
afterEach(async () => {
  for (const stop of stops.splice(0)) await stop();
});

describe('a call', () => {
  it('tells where it came from, the mark, and the name; nothing else of it is taken', async () => {
    await listen();
    const key = 'pub_key_ed25519=ssh-ed25519+AAAAC3Nza%2B&instance_id=x&hostname=tank-01.lan';
    expect(await post(`/call-in/${mark}`, key)).toBe(204);
    expect(heard).toEqual([
      {
        source: 'call-in',
        at: expect.any(Number) as number,
        address: '127.62.31.7',
        hardwareAddress: null,
        name: 'tank-01',
        mark,
        kind: 'here',
      },
    ]);
  });

  it('is refused where it is none: other paths, methods, marks that do not check, too much, too often', async () => {
    await listen();
    expect(await post('/', '')).toBe(404);
    expect(await post('/api/batches', 'hostname=x')).toBe(404);
    expect(await post(`/call-in/${mark}?x=1`, '')).toBe(404);
    expect(await post(`/call-in/7KQ4${mark.endsWith('A') ? 'B' : 'A'}`, 'hostname=x')).toBe(404);
    expect(await post(`/call-in/${mark}`, '', { method: 'GET' })).toBe(404);
    expect(await post(`/call-in/${mark}`, 'x'.repeat(9000), { from: '127.62.31.8' })).toBe(413);
    const head = await post(`/call-in/${mark}`, '', {
      from: '127.62.31.8',
      headers: { x: 'y'.repeat(6000) },
    });
    expect(head).toBe(431);
    expect(heard).toEqual([]);
    const often = await Promise.all(
      Array.from({ length: 14 }, () => post(`/call-in/${mark}`, 'hostname=x', { from: '127.62.31.9' })),
    );
    expect(often.filter((status) => status === 204)).toHaveLength(10);
    expect(often.filter((status) => status === 429)).toHaveLength(4);
    // Whoever is refused does not keep others from being heard.
    expect(await post(`/call-in/${mark}`, 'hostname=y', { from: '127.62.31.10' })).toBe(204);
  });

  it('whatever a body holds, no name comes out of it that is none (2,000 random ones, seed 91)', () => {
    fc.assert(
      fc.property(fc.oneof(fc.string(), fc.string({ unit: 'binary' })), (text) => {
        for (const body of [text, `hostname=${text}`, `a=b&hostname=${text}&c=d`]) {
          const call = readCallIn(`/call-in/${mark}`, body);
          expect(call?.hostName ?? 'none').toMatch(/^[A-Za-z0-9_-]{1,63}$/);
        }
        expect(readCallIn(`/call-in/${text}`, '')?.mark ?? mark).toMatch(/^[0-9A-Z]{5}$/);
      }),
      { seed: 91, numRuns: 2000 },
    );
  });

  it('octets that are no request at all, and connections that say nothing, end; a board is heard all the same', async () => {
    await listen();
    const sockets = Array.from({ length: 70 }, (_, at) => {
      const socket = connect({ host: address, port, localAddress: '127.62.31.11' });
      socket.on('error', () => undefined);
      socket.resume();
      if (at % 2 === 0) socket.write(Buffer.from(Array.from({ length: 400 }, (_n, i) => (i * at * 7) % 256)));
      return socket;
    });
    // Those that say nothing are ended by the listener itself; until then others may find no room.
    let status = 0;
    for (let tries = 0; status !== 204 && tries < 200; tries++) {
      status = await post(`/call-in/${mark}`, 'hostname=tank-01').catch(() => 0);
      if (status !== 204) await new Promise((resolve) => setTimeout(resolve, 100));
    }
    expect(status).toBe(204);
    for (const socket of sockets) socket.destroy();
  });
});

describe('the listener', () => {
  it('is shared by two who listen at one address, and gone with the last', async () => {
    const first = await listen();
    const second = await listen();
    await first();
    await first();
    expect(await post(`/call-in/${mark}`, '')).toBe(204);
    expect(heard).toHaveLength(1);
    await second();
    await expect(post(`/call-in/${mark}`, '')).rejects.toMatchObject({ code: 'ECONNREFUSED' });
    await listen();
    expect(await post(`/call-in/${mark}`, '')).toBe(204);
  });

  it('who leaves a second time takes nobody else’s away', async () => {
    const first = await listen();
    await first();
    await listen();
    await first();
    await listen();
    expect(await post(`/call-in/${mark}`, '')).toBe(204);
    expect(heard).toHaveLength(2);
  });

  it('says what to do where the plan names nobody, the address is not here, or the port is taken', async () => {
    const why = async (at: { address: string; port: number } | null): Promise<string> => {
      const error: unknown = await callIn
        .listen({ places: [], names: () => [], callIn: at, listPath: '' }, hear)
        .catch((caught: unknown) => caught);
      expect(error).toBeInstanceOf(ClueError);
      return (error as Error).message;
    };
    expect(await why(null)).toContain('chosen in the plan');
    // 192.0.2.0/24 is nobody's (RFC 5737); nothing is sent there, only an own address is looked for.
    expect(await why({ address: '192.0.2.1', port })).toContain('does not have that address');
    const other = createServer().listen(port, address);
    await new Promise((resolve) => other.once('listening', resolve));
    expect(await why({ address, port })).toContain('Another program');
    await new Promise((resolve) => other.close(resolve));
    await listen();
    expect(await post(`/call-in/${mark}`, '')).toBe(204);
  });
});

/** cloud-init's own module, as it would run at the end of a first boot (Debian 12, 22.4.2); nothing else of it runs. */
const phoneHome = `
import logging, sys
from cloudinit import helpers, util
from cloudinit.config import cc_phone_home

class Name:
    def __init__(self, hostname):
        self.hostname = hostname

class Cloud:
    paths = helpers.Paths({"cloud_dir": sys.argv[2], "run_dir": sys.argv[2]})
    def get_instance_id(self):
        return "7KQ4M-round"
    def get_hostname(self, fqdn=False):
        return Name("tank-01.lan" if fqdn else "tank-01")

cc_phone_home.handle("phone_home", util.read_conf(sys.argv[1]), Cloud(), logging.getLogger(), [])
`;
const withCloudInit = existsSync('/usr/lib/python3/dist-packages/cloudinit/config/cc_phone_home.py');

(withCloudInit ? it : it.skip)(
  'cloud-init’s own module calls as the seed tells it, once, and is heard',
  async () => {
    await listen();
    const folder = mkdtempSync(join(tmpdir(), 'nest-mark-seed-'));
    try {
      const seed = cardFilesOf('declarative-seed', settings({ mark, callIn: { address, port } }), noBase);
      const file = join(folder, 'user-data');
      writeFileSync(file, seed.find(({ path }) => path === 'user-data')!.content);
      const child = spawn('/usr/bin/python3', ['-c', phoneHome, file, folder], { stdio: 'ignore' });
      expect(await new Promise((resolve) => child.once('exit', resolve))).toBe(0);
      expect(heard).toMatchObject([{ mark, name: 'tank-01', address: expect.any(String) as string }]);
    } finally {
      rmSync(folder, { recursive: true });
    }
  },
);

describe('the script, run by dash', () => {
  const tools = ['curl', 'wget', 'busybox', 'python3', 'perl', 'bash', 'nc'];
  /** What the script uses besides. */
  const base = ['uname', 'rm', 'sleep', 'timeout', 'cat', 'grep'];
  /** What the unpacked programs are called there. */
  const pathOf = (tool: string): string | null => program(tool) ?? program(`${tool}.openbsd`);
  let folder: string;
  beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'nest-mark-call-'))));
  afterEach(() => rmSync(folder, { recursive: true, force: true }));

  /** Runs it as a board that has only one of the programs. @returns its exit code */
  const run = (tool: string): Promise<number | null> => {
    const bin = join(folder, 'bin');
    mkdirSync(bin);
    for (const name of [...base, tool]) {
      const at = pathOf(name);
      if (at !== null && !existsSync(join(bin, name))) symlinkSync(at, join(bin, name));
    }
    const where = join(folder, 'where');
    const script = join(folder, 'script');
    writeFileSync(where, `${address} ${String(port)} /call-in/${mark}\n`);
    writeFileSync(
      script,
      callInScript
        .replaceAll(callInPlaces.where, where)
        .replaceAll(callInPlaces.unit, join(folder, 'unit'))
        .replaceAll('/etc/systemd/system/multi-user.target.wants', folder),
    );
    const child = spawn('/bin/dash', [script], {
      env: { PATH: bin, LD_LIBRARY_PATH: libraries },
      stdio: 'ignore',
    });
    return new Promise((resolve) => child.once('exit', resolve));
  };

  const there = tools.filter((tool) => pathOf(tool) !== null);
  it.each(there)('calls by %s alone, and takes itself away before it does', async (tool) => {
    await listen();
    expect(await run(tool)).toBe(0);
    expect(heard.map(({ mark: told, name }) => [told, name])).toEqual([
      [mark, execFileSync('uname', ['-n'], { encoding: 'utf8' }).trim().split('.')[0]],
    ]);
    expect(existsSync(join(folder, 'script'))).toBe(false);
    expect(existsSync(join(folder, 'where'))).toBe(false);
  });

  it('at least a shell, perl and a program of the network were there to try', () => {
    expect(there).toEqual(expect.arrayContaining(['bash', 'perl']));
    expect(there.length).toBeGreaterThanOrEqual(3);
  });

  it('is called where the seed would have it called', () => {
    expect(callInAddress({ address, port }, mark)).toBe(`http://${address}:${String(port)}/call-in/${mark}`);
  });
});
