import { execFileSync, fork, spawn, type ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { once } from 'node:events';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { test as base, type Page } from '@playwright/test';
import { Client } from 'pg';

const root = join(import.meta.dirname, '../..');
/** The practice image as the demo has it, and as small as a board starts from: most tests are about something else. */
export const wholeImage = join(root, 'data/base/practice-os.img.xz');
export const smallImage = join(root, 'data/base/practice-os-small.img.xz');

async function onCluster(url: string, sql: string): Promise<void> {
  const client = new Client({ connectionString: url });
  await client.connect();
  await client.query(sql);
  await client.end();
}

let networks = 0;

/** An application on an empty data folder and a database of its own. */
export abstract class App {
  url = '';
  readonly folder = mkdtempSync(join(tmpdir(), 'nest-mark-e2e-'));
  /** Subnet of the practice bench, another one for each test, and for each runner; those below are other tests'. */
  readonly network = `127.${String(80 + Number(process.env['TEST_PARALLEL_INDEX'] ?? 0))}.${String(++networks)}`;
  protected readonly database = `e_${randomUUID().replaceAll('-', '')}`;
  protected readonly cluster = clusterUrl();

  protected get databaseUrl(): string {
    return this.cluster.replace(/\/[^/]*$/, `/${this.database}`);
  }

  abstract start(...options: string[]): Promise<void>;
  protected abstract stop(): Promise<void>;

  async end(): Promise<void> {
    await this.stop();
    await onCluster(this.cluster, `drop database if exists ${this.database} with (force)`);
    rmSync(this.folder, { recursive: true, force: true });
  }

  async api<T>(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<T> {
    const response = await fetch(`${this.url}/api${path}`, {
      method,
      headers: {
        'X-Nest-Mark': '1',
        'Content-Type': 'application/json',
        'Idempotency-Key': randomUUID(),
        ...headers,
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const text = await response.text();
    if (!response.ok) throw new Error(`${method} ${path}: ${text}`);
    return (response.headers.get('content-type')?.includes('json') ? JSON.parse(text) : text) as T;
  }
}

/** The application as people start it, in a process of its own, which can be killed. */
export class OwnApp extends App {
  private child: ChildProcess | null = null;

  /** Starts the server; a second time on what is there already. */
  async start(...options: string[]): Promise<void> {
    if (!this.url) await onCluster(this.cluster, `create database ${this.database}`);
    const child = spawn(
      process.execPath,
      [
        'scripts/start.mjs',
        '--no-setup',
        '--port',
        '0',
        '--data',
        this.folder,
        '--practice-network',
        this.network,
        ...options,
      ],
      {
        cwd: root,
        stdio: ['ignore', 'pipe', 'pipe'],
        env: { ...process.env, NEST_MARK_DATABASE: this.databaseUrl },
      },
    );
    this.child = child;
    this.url = await new Promise<string>((resolve, reject) => {
      let said = '';
      const listen = (data: Buffer): void => {
        said += data.toString();
        const url = /Nest Mark is at (\S+)/.exec(said)?.[1];
        if (url) resolve(url);
      };
      child.stdout.on('data', listen);
      child.stderr.on('data', listen);
      child.once('exit', (code) => reject(new Error(`the server ended with code ${String(code)}:\n${said}`)));
    });
  }

  /** Cuts the server down as a power cut would. */
  async kill(signal: 'SIGKILL' | 'SIGINT' = 'SIGKILL'): Promise<void> {
    const { child } = this;
    if (child?.exitCode !== null || child.signalCode !== null) return;
    const gone = new Promise((resolve) => child.once('exit', resolve));
    child.kill(signal);
    await gone;
  }

  protected stop(): Promise<void> {
    return this.kill('SIGINT');
  }
}

/** The application in the runner's host, on a copy of what was prepared once. */
class HostedApp extends App {
  constructor(
    private readonly host: Host,
    private readonly from: Prepared,
  ) {
    super();
  }

  async start(): Promise<void> {
    await onCluster(this.cluster, `create database ${this.database} template ${this.from.database}`);
    // Cards are files with holes of many gigabytes, which this keeps.
    execFileSync('cp', ['-a', '--sparse=always', `${this.from.folder}/.`, this.folder]);
    this.url = await this.host.start(this.database, this.databaseUrl, this.folder, this.network);
  }

  protected stop(): Promise<void> {
    return this.host.stop(this.database);
  }
}

const clusterUrl = (): string => {
  const cluster = process.env['NEST_MARK_TEST_DATABASE'];
  if (!cluster) throw new Error('Run these tests with npm test -- --only e2e, which starts their database.');
  return cluster;
};

/** The image on the shelf; null where it is empty. */
type Shelf = string | null;

/** What applications are copied from. */
interface Prepared {
  database: string;
  folder: string;
}

interface Answer {
  id: number;
  url: string;
  error?: string;
}

/** The process in which a runner's applications are served. */
class Host {
  private readonly child: ChildProcess;
  private readonly asked = new Map<number, (answer: Answer) => void>();
  private next = 1;
  private readonly prepared = new Map<Shelf, Promise<Prepared>>();

  constructor() {
    this.child = fork(join(import.meta.dirname, 'host.mjs'), [join(root, 'server/dist/main.js')], {
      // Without the runner's own loader.
      execArgv: [],
      env: { ...process.env, NODE_OPTIONS: '', UV_THREADPOOL_SIZE: '16' },
    });
    this.child.on('message', (answer: Answer) => {
      this.asked.get(answer.id)?.(answer);
      this.asked.delete(answer.id);
    });
    // It says so when it has loaded the program.
    this.ready = new Promise((resolve) => this.asked.set(0, () => resolve()));
  }

  private readonly ready: Promise<void>;

  async start(
    name: string,
    databaseUrl: string,
    dataFolder: string,
    practiceNetwork: string,
  ): Promise<string> {
    return this.ask('start', name, {
      databaseUrl,
      dataFolder,
      practiceNetwork,
      port: 0,
      station: 'bench',
      webFolder: join(root, 'web/dist/browser'),
      demoImage: null,
      logLevel: 'warn',
      searchProgram: join(root, 'server/dist/search-worker.js'),
    });
  }

  async stop(name: string): Promise<void> {
    await this.ask('stop', name);
  }

  /** What a database and a folder are after the first start, and with that image on the shelf. */
  prepare(shelf: Shelf): Promise<Prepared> {
    const known = this.prepared.get(shelf);
    if (known) return known;
    const made = this.make(shelf);
    this.prepared.set(shelf, made);
    return made;
  }

  async end(): Promise<void> {
    for (const made of this.prepared.values()) {
      const { database, folder } = await made;
      await onCluster(clusterUrl(), `drop database if exists ${database} with (force)`);
      rmSync(folder, { recursive: true, force: true });
    }
    this.child.disconnect();
    await once(this.child, 'exit');
  }

  private async make(shelf: Shelf): Promise<Prepared> {
    const database = `p_${randomUUID().replaceAll('-', '')}`;
    const folder = mkdtempSync(join(tmpdir(), 'nest-mark-e2e-prepared-'));
    await onCluster(clusterUrl(), `create database ${database}`);
    const url = await this.start(
      database,
      clusterUrl().replace(/\/[^/]*$/, `/${database}`),
      folder,
      '127.80.0',
    );
    if (shelf) await shelve(url, shelf);
    await this.stop(database);
    return { database, folder };
  }

  private async ask(ask: 'start' | 'stop', name: string, options?: object): Promise<string> {
    await this.ready;
    const id = this.next++;
    const answer = await new Promise<Answer>((resolve) => {
      this.asked.set(id, resolve);
      this.child.send({ id, ask, name, options });
    });
    if (answer.error !== undefined) throw new Error(answer.error);
    return answer.url;
  }
}

/** Puts an image on the shelf and waits until it was read. */
async function shelve(url: string, path: string): Promise<void> {
  const added = await fetch(`${url}/api/images`, {
    method: 'POST',
    headers: { 'X-Nest-Mark': '1', 'Content-Type': 'application/json', 'Idempotency-Key': randomUUID() },
    body: JSON.stringify({ path, title: 'Practice OS 1', sha256: '' }),
  });
  if (!added.ok) throw new Error(await added.text());
  for (;;) {
    const [image] = (await (await fetch(`${url}/api/images`)).json()) as { state: string; message: string }[];
    if (image?.state === 'ready') return;
    if (image?.state === 'failed') throw new Error(image.message);
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
}

/**
 * Gives every test an application of its own, and watches the page for errors: `app` with the practice image on the
 * shelf, `bareApp` with nothing, `ownApp` as people start it, for tests that kill it, `demoApp` the same with the demo data.
 */
export const test = base.extend<
  { shelf: string; app: App; bareApp: App; ownApp: OwnApp; demoApp: OwnApp; problems: string[] },
  { host: Host }
>({
  host: [
    async ({}, use) => {
      const host = new Host();
      await use(host);
      await host.end();
    },
    { scope: 'worker' },
  ],
  shelf: [smallImage, { option: true }],
  app: async ({ host, shelf }, use) => {
    const app = new HostedApp(host, await host.prepare(shelf));
    await app.start();
    await use(app);
    await app.end();
  },
  bareApp: async ({ host }, use) => {
    const app = new HostedApp(host, await host.prepare(null));
    await app.start();
    await use(app);
    await app.end();
  },
  ownApp: async ({}, use) => {
    const app = new OwnApp();
    await app.start('--no-demo');
    await use(app);
    await app.end();
  },
  demoApp: async ({}, use) => {
    const app = new OwnApp();
    await app.start();
    await use(app);
    await app.end();
  },
  problems: [
    async ({ page }, use, test) => {
      const problems: string[] = [];
      page.on('pageerror', (error) => problems.push(`${error.stack ?? error.message}\non ${page.url()}`));
      // What did not arrive says why a page stayed empty; where a server is killed it is no fault.
      const missed: string[] = [];
      page.on('requestfailed', (request) =>
        missed.push(`${request.url()}: ${request.failure()?.errorText ?? ''}`),
      );
      page.on('response', (response) => {
        if (response.status() >= 400) missed.push(`${response.url()}: ${String(response.status())}`);
      });
      await use(problems);
      if (test.status !== test.expectedStatus)
        console.log(`did not arrive:\n${missed.slice(0, 40).join('\n')}`);
      if (problems.length > 0) throw new Error(`errors on the page:\n${problems.join('\n')}`);
    },
    { auto: true },
  ],
});

/** Of a test that takes long and of whose kind of check a shorter one is there too: it runs by `npm test -- --rest`. */
export const long = { tag: '@long' };

export { expect } from '@playwright/test';
export type { Page };
