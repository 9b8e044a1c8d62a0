import { once } from 'node:events';
import WebSocket from 'ws';
import type { Batch, BatchProgress, Passport, PracticeView } from '@nest-mark/core';
import { noSandbox } from '../../stand-in/src/board/sandbox';
import { OpenTerminals, Shown, type OpenTerminal } from '../src/terminals/open-terminals';
import { baseImage, TestServer, tankPlan } from './helpers/server';

/** Terminals to practice boards by real web sockets: what comes in, and who is kept out. */

const network = '127.61.72';
let server: TestServer;
let batch: Batch;

const deviceId = (index = 0): string => batch.plan.devices[index]!.id;
const path = (index = 0): string => `/batches/${batch.id}/devices/${deviceId(index)}/terminal`;
const wish = (more: object = {}): object => ({ way: 'bench-key', columns: 80, rows: 24, ...more });
const ask = async (index = 0, more: object = {}): Promise<string> =>
  (await server.ok<{ ticket: string }>('POST', path(index), wish(more))).ticket;
const connect = (ticket: string, headers: Record<string, string> = { Origin: server.url }): WebSocket =>
  new WebSocket(`${server.url.replace('http', 'ws')}/api/terminals/${ticket}`, { headers });

/** A browser at a terminal. */
class Browser {
  shown = '';
  readonly closed: Promise<unknown>;

  constructor(readonly socket: WebSocket) {
    socket.on('message', (data: Buffer) => (this.shown += data.toString('utf8')));
    socket.on('error', () => undefined);
    this.closed = once(socket, 'close');
  }

  type(text: string): void {
    this.socket.send(Buffer.from(text));
  }

  sees(pattern: RegExp): Promise<true> {
    return server.until(() => Promise.resolve(pattern.test(this.shown) ? true : null));
  }

  async leave(): Promise<void> {
    this.socket.close();
    await this.closed;
  }
}
const browse = async (ticket: string): Promise<Browser> => {
  const browser = new Browser(connect(ticket));
  await once(browser.socket, 'open');
  return browser;
};
/** The status by which a web socket is refused. */
const refusal = async (socket: WebSocket): Promise<number> => {
  socket.on('error', () => undefined);
  const [, response] = (await once(socket, 'unexpected-response')) as [unknown, { statusCode: number }];
  return response.statusCode;
};
const passport = (index = 0): Promise<Passport> =>
  server.ok('GET', `/batches/${batch.id}/devices/${deviceId(index)}/passport`);
const logged = async (kind: string): Promise<number> =>
  (await server.knex('log_entry').where({ kind, batch_id: batch.id })).length;
/** Waits until a device's terminal is written down as ended. */
const free = async (index = 0): Promise<true> =>
  server.until(() => {
    const { open } = server.domains.terminals;
    const why = open.reserve(deviceId(index));
    if (why === null) open.release(deviceId(index));
    return Promise.resolve(why === null ? true : null);
  });

const whenSandbox = noSandbox() === null ? describe : describe.skip;

whenSandbox('a terminal to a proved board', () => {
  beforeAll(async () => {
    server = await TestServer.start(network, { terminals: true });
    const image = await server.shelve(baseImage);
    await server.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
    batch = await server.batch(tankPlan(2, image.id, network));
    await server.act({ do: 'insertFresh' });
    await server.ended(batch.id, (await server.arm(batch.id)).id);
    await server.act({ do: 'seat', batchId: batch.id });
    await server.act({ do: 'powerAll', on: true });
    await server.until(async () =>
      (await server.ok<PracticeView>('GET', '/practice')).boards.every(({ phase }) => phase === 'online')
        ? true
        : null,
    );
    await server.search(batch.id, `${network}.0/24`);
    const { devices } = await server.ok<BatchProgress>('GET', `/batches/${batch.id}/progress`);
    expect(devices.map(({ seen }) => seen?.standing)).toEqual(['proved', 'proved']);
  });
  afterAll(() => server.end());

  it('carries keys and what is shown; what is kept of it stands in the passport, secrets struck out', async () => {
    const browser = await browse(await ask(0, { keep: true }));
    await browser.sees(/\$ $/);
    browser.socket.send(JSON.stringify({ columns: 132, rows: 40 }));
    browser.type('echo tide-$((1 + 2))\r');
    await browser.sees(/tide-3/);
    // Taken back before it is sent, as a terminal does.
    browser.type('echo wrong\x7f\x7f\x7f\x7f\x7fright\r');
    await browser.sees(/\nright/);
    browser.type('\x1b[31mcat /etc/hostname\r');
    await browser.leave();
    const terminals = await server.until(async () => {
      const now = await passport();
      return now.terminals[0] && now.terminals[0].endedAt !== null ? now.terminals : null;
    });
    expect(terminals).toHaveLength(1);
    expect(terminals[0]).toMatchObject({
      by: expect.stringMatching(/^the account \d+$/) as string,
      text: expect.stringContaining('tide-3') as string,
    });
    expect(terminals[0]!.text).not.toMatch(/[\u0000-\u0008\u000b-\u001f\u007f]/);
    expect([await logged('terminal-opened'), await logged('terminal-ended')]).toEqual([1, 1]);
    await free();
  });

  it('keeps nothing where that was not wanted, but that it was open', async () => {
    const browser = await browse(await ask());
    await browser.sees(/\$ $/);
    browser.type('exit\r');
    // The board ends it, and the browser is told.
    const [code, why] = (await browser.closed) as [number, Buffer];
    expect([code, why.toString()]).toEqual([1000, 'the board ended it']);
    await server.until(async () => ((await logged('terminal-ended')) === 2 ? true : null));
    expect((await passport()).terminals).toHaveLength(1);
  });

  it('is one a board; a ticket is good once, for who asked, from a page of ours', async () => {
    const ticket = await ask();
    expect(await server.refused('POST', path(), wish())).toMatchObject({ code: 'terminal-open' });
    expect(await refusal(connect(ticket, {}))).toBe(403);
    expect(await refusal(connect(ticket, { Origin: 'http://elsewhere.example' }))).toBe(403);
    expect(await refusal(connect(ticket, { Origin: server.url, Host: 'elsewhere.example' }))).toBe(403);
    expect(await refusal(connect('A'.repeat(32)))).toBe(404);
    expect(await refusal(connect(`${ticket}/more`))).toBe(403);
    // None of that used it up.
    const browser = await browse(ticket);
    expect(await refusal(connect(ticket))).toBe(404);
    await browser.leave();
    await free();
  });

  it('ends by what is no word of ours, and by more octets than a person types', async () => {
    for (const word of ['{"columns": 1}', 'no JSON', JSON.stringify({ columns: 80, rows: 1e9 })]) {
      const browser = await browse(await ask());
      browser.socket.send(word);
      await browser.closed;
      await free();
    }
    const browser = await browse(await ask());
    browser.socket.send(Buffer.alloc(100_000, 'x'));
    const [code] = (await browser.closed) as [number];
    // Too large a message (RFC 6455, section 7.4.1).
    expect(code).toBe(1009);
    await free();
  });

  it('of a board that loses its power ends; to one that does not answer there is none', async () => {
    const browser = await browse(await ask(1));
    await server.act({ do: 'power', nest: batch.plan.devices[1]!.nest, on: false });
    await browser.closed;
    await free(1);
    expect(await server.refused('POST', path(1), wish())).toMatchObject({ code: 'board-refuses' });
    await free(1);
    const other = await server.batch(tankPlan(1, null, network));
    const unproved = `/batches/${other.id}/devices/${other.plan.devices[0]!.id}/terminal`;
    expect((await server.refused('POST', unproved, wish())).code).toBe('not-proved');
    expect((await server.refused('POST', path(0), wish({ way: 'password' }))).code).toBe('way-missing');
  });

  it('is written down as open where the program stops in the middle, and is off where nobody allowed it', async () => {
    const browser = await browse(await ask(0, { keep: true }));
    await browser.sees(/\$ $/);
    await server.restart({ terminals: false });
    await browser.closed;
    expect((await passport()).terminals).toHaveLength(2);
    expect((await server.refused('POST', path(), wish())).code).toBe('terminals-off');
  });
});

describe('what is kept of a terminal', () => {
  it('has no secret in it, wherever it was cut, and only the end of it where it was much', () => {
    const shown = new Shown(['low tide at nine']);
    for (const part of ['Password: low ti', 'de at nine\r\n', '\x1b[1mwell\x1b[0m\r\n'])
      shown.add(Buffer.from(part));
    expect(shown.kept).toBe('Password: [struck out]\nwell\n');
    const [first, ...rest] = Buffer.from('ø');
    shown.add(Buffer.from([first!]));
    shown.add(Buffer.from(rest));
    expect(shown.kept).toMatch(/ø$/);
    shown.add(Buffer.alloc(1_000_000, 'x'));
    expect(shown.kept).toBe('x'.repeat(200_000));
  });

  it('nobody comes for it: after half a minute its place is free, and the ticket is none', () => {
    jest.useFakeTimers();
    try {
      const open = new OpenTerminals(true);
      const one = { who: 'mara', shell: { close: () => undefined } } as unknown as OpenTerminal;
      const gone = jest.fn();
      const late = open.wait(one, gone);
      const soon = open.wait(one, gone);
      expect(open.take(soon, 'somebody else')).toBeNull();
      expect(open.take(soon, 'mara')).toBe(one);
      jest.advanceTimersByTime(31_000);
      expect(gone).toHaveBeenCalledTimes(1);
      expect(open.take(late, 'mara')).toBeNull();
    } finally {
      jest.useRealTimers();
    }
  });

  it('a station has sixteen at most', () => {
    const open = new OpenTerminals(true);
    for (let at = 0; at < 16; at++) expect(open.reserve(String(at))).toBeNull();
    expect(open.reserve('more')).toMatch(/16 terminals/);
    open.release('3');
    expect(open.reserve('more')).toBeNull();
  });
});
