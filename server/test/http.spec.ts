import { request } from 'node:http';
import type { ServerEvent } from '@nest-mark/core';
import { LiveRounds } from '../src/rounds/live';
import { TestServer, tankPlan } from './helpers/server';

const network = '127.61.6';
let server: TestServer;
beforeAll(async () => {
  server = await TestServer.start(network);
});
afterAll(() => server.end());

/** A request with headers that `fetch` would not let through. */
const raw = (path: string, headers: Record<string, string>): Promise<number> =>
  new Promise((resolve, reject) => {
    const { hostname, port } = new URL(server.url);
    request({ hostname, port, path, headers }, (response) => {
      response.resume();
      resolve(response.statusCode ?? 0);
    })
      .on('error', reject)
      .end();
  });

describe('names under which the server may be asked', () => {
  it.each([
    ['127.0.0.1', 200],
    ['localhost', 200],
    ['LOCALHOST.example.org', 403],
    ['nest.example.org', 403],
    ['192.168.1.7', 403],
  ])('"%s": %d, so that a rebound name of another site gets nothing', async (host, status) => {
    expect(await raw('/api/health', { host: `${host}:1234` })).toBe(status);
  });

  it('sets the headers that keep other pages out and nothing to be fetched from elsewhere', async () => {
    const response = await fetch(`${server.url}/api/health`);
    const policy = response.headers.get('content-security-policy') ?? '';
    expect(policy).toContain("default-src 'self'");
    expect(policy).toContain("frame-ancestors 'none'");
    expect(policy).not.toContain('http:');
    expect(response.headers.get('cache-control')).toBe('no-store');
  });
});

/** Notes the types of events until the stream ends. */
async function readEvents(body: ReadableStream<Uint8Array>, seen: ServerEvent['type'][]): Promise<void> {
  const reader = body.getReader();
  const decoder = new TextDecoder();
  for (let part = await reader.read(); !part.done; part = await reader.read())
    for (const [, data] of decoder.decode(part.value).matchAll(/^data: (.*)$/gm))
      seen.push((JSON.parse(data ?? '') as ServerEvent).type);
}

describe('the event stream', () => {
  it('tells of a new batch and of hands on the practice bench, in messages that the schema knows', async () => {
    const stop = new AbortController();
    const response = await fetch(`${server.url}/api/events`, { signal: stop.signal });
    expect(response.headers.get('content-type')).toContain('text/event-stream');
    const seen: ServerEvent['type'][] = [];
    const reading = readEvents(response.body!, seen).catch(() => undefined);
    await server.batch(tankPlan(1, null, network));
    await server.act({ do: 'insertFresh' });
    await server.until(() => Promise.resolve(seen.includes('slots') ? true : null), 5000);
    stop.abort();
    await reading;
    for (const type of ['batches', 'log', 'practice', 'slots']) expect(seen).toContain(type);
  });
});

describe('the practice bench over HTTP', () => {
  it.each([
    [{ do: 'insert', cardId: 'card-99', slotId: 'slot-1' }, 409, 'no such card'],
    [{ do: 'insert', cardId: 'card-01', slotId: 'slot-9' }, 409, 'no such slot'],
    [{ do: 'power', nest: 'Z9', on: true }, 409, 'no board in nest Z9'],
    [{ do: 'fly' }, 422, 'do'],
    [{ do: 'pace', bootSeconds: -1, slotRate: 0 }, 422, 'bootSeconds'],
  ])('refuses %j with a sentence', async (action, status, says) => {
    const problem = await server.refused('POST', '/practice/actions', action);
    expect(problem.status).toBe(status);
    expect(problem.detail).toContain(says);
  });
});

describe('progress of a round that is being written', () => {
  const live = new LiveRounds();
  const card = {
    slotId: 's',
    deviceId: 'd',
    serial: '',
    cardKey: null,
    state: 'writing' as const,
    share: 0,
    rate: 0,
    secondsLeft: null,
    message: '',
    at: 0,
    pastCache: null,
  };
  const MB = 1e6;

  it('counts writing and reading back as halves, and tells rate and time left', () => {
    expect(live.note('r', 's', 'writing', 0, 100 * MB, 0)).toBe(true);
    expect(live.note('r', 's', 'writing', 50 * MB, 100 * MB, 1000)).toBe(false);
    // 50 MB a second: 1 s of writing and 2 s of reading back are left.
    expect(live.card('r', card)).toMatchObject({ share: 0.25, rate: 50 * MB, secondsLeft: 3 });
    expect(live.note('r', 's', 'verifying', 0, 100 * MB, 2000)).toBe(true);
    live.note('r', 's', 'verifying', 80 * MB, 100 * MB, 4000);
    expect(live.card('r', { ...card, state: 'verifying' })).toMatchObject({
      share: 0.9,
      rate: 40 * MB,
      secondsLeft: 0.5,
    });
  });

  it('says nothing about cards that ended, and nothing once the round was forgotten', () => {
    const ended = { ...card, state: 'verified' as const, share: 1 };
    expect(live.card('r', ended)).toBe(ended);
    live.forget('r');
    expect(live.card('r', card)).toBe(card);
  });
});
