import { spawn, type ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { test as base, type Page } from '@playwright/test';
import { Client } from 'pg';

const root = join(import.meta.dirname, '../..');
export const baseImage = join(root, 'data/base/practice-os.img.xz');

async function onCluster(url: string, sql: string): Promise<void> {
  const client = new Client({ connectionString: url });
  await client.connect();
  await client.query(sql);
  await client.end();
}

let networks = 0;

/** The application as people start it, in a process of its own, on an empty database and an empty data folder. */
export class App {
  private child: ChildProcess | null = null;
  url = '';
  readonly folder = mkdtempSync(join(tmpdir(), 'nest-mark-e2e-'));
  /** Subnet of the practice bench, another one for each test. */
  readonly network = `127.60.${String(++networks)}`;
  private readonly database = `e_${randomUUID().replaceAll('-', '')}`;
  private readonly cluster: string;

  constructor() {
    const cluster = process.env['NEST_MARK_TEST_DATABASE'];
    if (!cluster)
      throw new Error('Run these tests with npm test -- --only e2e, which starts their database.');
    this.cluster = cluster;
  }

  /** Starts the server; a second time on what is there already. */
  async start(...options: string[]): Promise<void> {
    if (!this.url) await onCluster(this.cluster, `create database ${this.database}`);
    const database = this.cluster.replace(/\/[^/]*$/, `/${this.database}`);
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
        env: { ...process.env, NEST_MARK_DATABASE: database },
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

  async end(): Promise<void> {
    await this.kill('SIGINT');
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

/** Gives every test an application of its own, without demo data, and watches the page for errors. */
export const test = base.extend<{ app: App; problems: string[] }>({
  app: async ({}, use) => {
    const app = new App();
    await app.start('--no-demo');
    await use(app);
    await app.end();
  },
  problems: [
    async ({ page }, use) => {
      const problems: string[] = [];
      page.on('pageerror', (error) => problems.push(error.message));
      await use(problems);
      if (problems.length > 0) throw new Error(`errors on the page:\n${problems.join('\n')}`);
    },
    { auto: true },
  ],
});

export { expect } from '@playwright/test';
export type { Page };
