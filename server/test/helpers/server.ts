import { randomInt, randomUUID } from 'node:crypto';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Client } from 'pg';
import type {
  BatchProgress,
  Search,
  ArmRound,
  Batch,
  Image,
  Network,
  PracticeAction,
  PracticeView,
  Problem,
  Proposal,
  ResumeRound,
  Round,
  SavePlan,
  ShelvedNetwork,
} from '@nest-mark/core';
import {
  addDevices,
  drawMark,
  emptyNetwork,
  emptyPlan,
  makeHostKey,
  namesFromPattern,
  type Plan,
} from '@nest-mark/core';
import type { Knex } from 'knex';
import { allRoutes, type Domains } from '../../src/compose';
import { problemsOfRoute } from '../../src/platform/http/openapi';
import type { Route } from '../../src/platform/http/route';
import type { ArmedCard } from '../../src/rounds/repository';
import { startServer, type RunningServer, type ServerOptions } from '../../src/run';
import { template } from './template';

/** The practice image of the demo, with everything that its bench is made for. */
export const demoImage = join(__dirname, '../../../data/base/practice-os.img.xz');

/** The small base image that the set-up made with Debian's tools. */
export const baseImage = join(__dirname, '../../../data/base/practice-os-small.img.xz');

/** The program of the thread in which searches run, built by the set-up. */
export const searchProgram = join(__dirname, '../../dist/search-worker.js');

/** The test cluster's own database; `npm test` starts the cluster and names it here. */
function clusterUrl(): string {
  const url = process.env['NEST_MARK_TEST_DATABASE'];
  if (!url)
    throw new Error(
      'Run these tests with npm test, which starts their database (or node scripts/test.mjs --only unit).',
    );
  return url;
}

async function onCluster(sql: string): Promise<void> {
  const client = new Client({ connectionString: clusterUrl() });
  await client.connect();
  await client.query(sql);
  await client.end();
}

export const userKey = makeHostKey(new Uint8Array(32).fill(7), new Uint8Array(4), 'mara@bench').publicLine;

/** Marks that were given to devices in this test file; two of a thousand devices would share one now and then. */
const given = new Set<string>();

/** A mark that no other device of this test file has. */
export function freshMark(): string {
  const mark = drawMark((below) => randomInt(below), given);
  given.add(mark);
  return mark;
}

/** A plan that can be written once it has an image. */
export function tankPlan(count: number, imageId: string | null, network: string): Plan {
  const plan: Plan = {
    ...emptyPlan('Tank monitors'),
    imageId,
    access: { ...emptyPlan('').access, userName: 'keeper', keys: userKey },
    country: 'DK',
    timeZone: 'Europe/Copenhagen',
    network: { subnet: `${network}.0/24`, port: 2222 },
  };
  const draw = {
    random: (below: number): number => randomInt(below),
    id: (): string => randomUUID(),
  };
  const filled = addDevices(plan, namesFromPattern('tank-{n:02}', count), 'tank monitor', draw);
  return { ...filled, devices: filled.devices.map((device) => ({ ...device, mark: freshMark() })) };
}

/** Every endpoint; what they do is not wanted here. */
export const endpoints = allRoutes({} as Domains);

/** Cards as the server stores them when they are armed, for rounds that are made behind its back. */
const armedCards = (cards: ArmRound['cards']): ArmedCard[] =>
  cards.map((card) => ({
    slotId: card.slotId,
    slotTitle: card.slotId,
    cardKind: '',
    cardKey: card.identity.serial,
    deviceId: card.deviceId,
    hostName: 'tank',
    identity: card.identity,
    imageId: randomUUID(),
    imageSha256: '',
    method: 'none',
    overrule: null,
    marked: true,
  }));

/** The endpoint that a path belongs to. */
const endpointOf = (method: string, path: string): Route | undefined =>
  endpoints.find(
    (route) =>
      route.method === method.toLowerCase() &&
      new RegExp(`^${route.path.replace(/:\w+/g, '[^/]+')}$`).test(path.split('?')[0]!),
  );

/** Every problem that any test is answered with has to stand in the description of its endpoint. */
function needDescribed(method: string, path: string, { status, body }: Answer<unknown>): void {
  const route = endpointOf(method, path);
  // What answers HEAD has no text.
  if (!route || status < 400 || route.method === 'head') return;
  const { code } = body as Problem;
  if (!(problemsOfRoute(route) as ReadonlySet<string>).has(code))
    throw new Error(`${method} ${path} was answered "${code}", which its description does not have.`);
}

export interface Answer<T> {
  status: number;
  body: T;
  headers: Headers;
}

/** Asks a server; whatever it answers has to stand in the description of its endpoint. */
export async function askOf<T>(
  url: string,
  method: string,
  path: string,
  body?: unknown,
  headers: Record<string, string> = {},
): Promise<Answer<T>> {
  const sent = Buffer.isBuffer(body) ? new Uint8Array(body) : JSON.stringify(body);
  const response = await fetch(`${url}/api${path}`, {
    method,
    headers: {
      'X-Nest-Mark': '1',
      'Idempotency-Key': randomUUID(),
      ...(body === undefined ? {} : { 'Content-Type': 'application/json' }),
      ...headers,
    },
    ...(body === undefined ? {} : { body: sent }),
  });
  const text = await response.text();
  const json = text !== '' && response.headers.get('content-type')?.includes('json');
  const answer = {
    status: response.status,
    body: (json ? JSON.parse(text) : text) as T,
    headers: response.headers,
  };
  needDescribed(method, path, answer);
  return answer;
}

/** Makes a database of its own for a test file. @param from what it is copied from; else it has no tables */
async function newDatabase(from?: string): Promise<{ url: string; database: string }> {
  for (const made of [baseImage, demoImage, searchProgram])
    if (!existsSync(made)) throw new Error(`${made} is missing. Run npm test, which makes it.`);
  const database = `t_${randomUUID().replaceAll('-', '')}`;
  await onCluster(`create database ${database}${from ? ` template ${from}` : ''}`);
  return { url: clusterUrl().replace(/\/[^/]*$/, `/${database}`), database };
}

/** A real server on a real, empty database, with a practice bench on a loopback subnet of its own. */
export class TestServer {
  private constructor(
    readonly network: string,
    readonly databaseUrl: string,
    readonly folder: string,
    private readonly database: string,
    private running: RunningServer,
  ) {}

  static async start(network: string, change: Partial<ServerOptions> = {}): Promise<TestServer> {
    const { url, database } = await newDatabase(await template(clusterUrl()));
    const folder = mkdtempSync(join(tmpdir(), 'nest-mark-server-'));
    const running = await TestServer.run(network, url, folder, change);
    return new TestServer(network, url, folder, database, running);
  }

  /** An empty database, and how to start servers on it; none runs yet. */
  static async empty(): Promise<Pick<TestServer, 'beside' | 'end'>> {
    const { url, database } = await newDatabase();
    return {
      beside: (network, folder, change) => TestServer.run(network, url, folder, change),
      end: () => onCluster(`drop database ${database} with (force)`),
    };
  }

  /** Another server beside this one, on the same database. */
  beside(network: string, folder: string, change: Partial<ServerOptions>): Promise<RunningServer> {
    return TestServer.run(network, this.databaseUrl, folder, change);
  }

  private static run(
    network: string,
    databaseUrl: string,
    dataFolder: string,
    change: Partial<ServerOptions> = {},
  ): Promise<RunningServer> {
    return startServer({
      databaseUrl,
      dataFolder,
      port: 0,
      station: 'test',
      practiceNetwork: network,
      webFolder: null,
      demoImage: null,
      logLevel: 'silent',
      searchProgram,
      ...change,
    });
  }

  get domains(): RunningServer['domains'] {
    return this.running.domains;
  }

  /** The database itself, for what must be true in it. */
  get knex(): Knex {
    return this.running.domains.platform.knex;
  }

  /** Waits until this server is at a run. */
  at(runId: string): Promise<true> {
    return this.until(() => Promise.resolve(this.domains.runs.isAt(runId) ? true : null));
  }

  /** Waits until this server checks the capacity of a card. */
  checking(key: string): Promise<true> {
    return this.until(async () => {
      const run = await this.domains.runs.repository.about('capacity-check', key);
      return run && this.domains.runs.isAt(run.id) ? true : null;
    });
  }

  /** A round that somebody armed and begun to write, behind this server's back. */
  async leaveRound(id: string, batchId: string, cards: ArmRound['cards'], station = 'test'): Promise<void> {
    const { rounds, runs } = this.domains;
    const items = cards.map(({ slotId, deviceId, identity }) => ({
      subject: slotId,
      deviceId,
      slot: { id: slotId, identity },
    }));
    await runs.repository.create(
      { id, kind: 'round', batchId, begunBy: 'a test', items },
      station,
      this.knex,
    );
    await rounds.repository.create(id, batchId, armedCards(cards), this.knex);
  }

  get url(): string {
    return this.running.url;
  }

  get keyAddress(): string {
    return this.running.keyAddress;
  }

  /** Stops the server and starts it again on the same data. */
  async restart(change: Partial<ServerOptions> = {}): Promise<void> {
    await this.running.stop();
    this.running = await TestServer.run(this.network, this.databaseUrl, this.folder, change);
  }

  async end(): Promise<void> {
    await this.running.stop();
    await onCluster(`drop database ${this.database} with (force)`);
    rmSync(this.folder, { recursive: true, force: true });
  }

  call<T>(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<Answer<T>> {
    return askOf(this.url, method, path, body, headers);
  }

  /** A call that must succeed. */
  async ok<T>(method: string, path: string, body?: unknown, headers?: Record<string, string>): Promise<T> {
    const answer = await this.call<T>(method, path, body, headers);
    if (answer.status >= 400) throw new Error(`${method} ${path}: ${JSON.stringify(answer.body)}`);
    return answer.body;
  }

  /** A call that must be refused. */
  async refused(
    method: string,
    path: string,
    body?: unknown,
    headers?: Record<string, string>,
  ): Promise<Problem> {
    const answer = await this.call<Problem>(method, path, body, headers);
    if (answer.status < 400) throw new Error(`${method} ${path} was not refused`);
    return answer.body;
  }

  act(action: PracticeAction): Promise<PracticeView> {
    return this.ok('POST', '/practice/actions', action);
  }

  /** Puts an image on the shelf and waits until it was read. */
  async shelve(path: string, sha256 = '', title = ''): Promise<Image> {
    const { id } = await this.ok<Image>('POST', '/images', { path, title, sha256 });
    return this.until(async () => {
      const image = (await this.ok<Image[]>('GET', '/images')).find((candidate) => candidate.id === id);
      return image && image.state !== 'checking' ? image : null;
    });
  }

  /** Puts a network on the shelf. */
  newNetwork(change: Partial<Network> = {}, secret?: string): Promise<ShelvedNetwork> {
    const network = { ...emptyNetwork('Bench'), ssid: 'Saltmarsh Bench', ...change };
    return this.ok('POST', '/networks', { network, ...(secret === undefined ? {} : { secret }) });
  }

  /** A batch whose boards join the practice bench's network, unless its plan names others. */
  async batch(plan: Plan, secrets: SavePlan['secrets'] = {}): Promise<Batch> {
    if (plan.networks.length > 0) return this.ok('POST', '/batches', { plan, secrets });
    const { id } = await this.newNetwork({}, 'low tide at seven');
    const joined = { ...plan, networks: [{ networkId: id, priority: 10 }] };
    return this.ok('POST', '/batches', { plan: joined, secrets });
  }

  /** Tries the keys of a batch's networks, so that its plan has nothing to note of them. */
  async tryKeys({ plan }: Batch): Promise<void> {
    const used = new Set(plan.networks.map(({ networkId }) => networkId));
    for (const { id, version } of await this.ok<ShelvedNetwork[]>('GET', '/networks'))
      if (used.has(id))
        await this.ok(
          'POST',
          `/networks/${id}/try`,
          { adapter: 'practice0' },
          { 'If-Match': `"${String(version)}"` },
        );
  }

  /** Arms what the server proposes. */
  async arm(batchId: string): Promise<Round> {
    const { cards, at } = await this.ok<Proposal>('GET', `/batches/${batchId}/next-round`);
    const armed = cards.flatMap(({ slotId, deviceId, medium }) =>
      deviceId !== null && medium ? [{ slotId, deviceId, identity: medium.identity }] : [],
    );
    return this.ok('POST', `/batches/${batchId}/rounds`, {
      cards: armed,
      confirm: `erase ${String(armed.length)}`,
      lookedAt: at,
    });
  }

  /** What the slots of some cards hold now, as a person who looks at the page sees it. */
  async looked(batchId: string): Promise<ResumeRound['media']> {
    const { cards } = await this.ok<Proposal>('GET', `/batches/${batchId}/next-round`);
    return cards.flatMap(({ slotId, medium }) => (medium ? [{ slotId, identity: medium.identity }] : []));
  }

  /** Writes the unfinished cards of a round again. */
  async resume(round: Pick<Round, 'id' | 'batchId'>, count = 1): Promise<Round> {
    return this.ok('POST', `/rounds/${round.id}/resume`, {
      confirm: `erase ${String(count)}`,
      lookedAt: Date.now(),
      media: await this.looked(round.batchId),
    });
  }

  /** Waits for a round's end. */
  ended(batchId: string, roundId: string): Promise<Round> {
    return this.until(async () => {
      const { rounds } = await this.ok<{ rounds: Round[] }>('GET', `/batches/${batchId}/progress`);
      const round = rounds.find(({ id }) => id === roundId);
      return round && round.state !== 'queued' && round.state !== 'running' ? round : null;
    });
  }

  /** Searches a subnet for a batch and waits until just this search has ended. */
  async search(batchId: string, subnet: string, port = 2222): Promise<Search> {
    const { id } = await this.ok<Search>('POST', `/batches/${batchId}/searches`, { subnet, port });
    return this.until(async () => {
      const { search } = await this.ok<BatchProgress>('GET', `/batches/${batchId}/progress`);
      return search?.id === id && !['queued', 'running'].includes(search.state) ? search : null;
    });
  }

  /** Looks until something is there; ever less often, since looking takes time from what is waited for. */
  async until<T>(look: () => Promise<T | null>, timeoutMs = 60_000): Promise<T> {
    const deadline = Date.now() + timeoutMs;
    for (let pause = 20; ; pause = Math.min(pause * 1.5, 300)) {
      const found = await look();
      if (found !== null) return found;
      if (Date.now() > deadline) throw new Error('waited in vain');
      await new Promise((resolve) => setTimeout(resolve, pause));
    }
  }
}
