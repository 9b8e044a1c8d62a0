import { spawn } from 'node:child_process';
import { randomUUID } from 'node:crypto';

/** Calls the server as the page does. */
export type Call = <T>(method: string, path: string, body?: unknown) => Promise<T>;

/** Starts the application as people do, works with it, and stops it. */
export async function withServer<T>(
  root: string,
  data: string,
  network: string,
  work: (url: string, call: Call) => Promise<T>,
): Promise<T> {
  const child = spawn(
    process.execPath,
    ['scripts/start.mjs', '--port', '0', '--data', data, '--practice-network', network],
    { cwd: root, stdio: ['ignore', 'pipe', 'inherit'] },
  );
  try {
    const url = await new Promise<string>((resolve, reject) => {
      child.once('exit', () => reject(new Error('the server did not start')));
      child.stdout.on('data', (text: Buffer) => {
        const found = /http:\S+/.exec(text.toString())?.[0];
        if (found) resolve(found.replace(/\/$/, ''));
      });
    });
    const call: Call = async (method, path, body) => {
      const response = await fetch(`${url}/api${path}`, {
        method,
        headers: {
          'X-Nest-Mark': '1',
          'Idempotency-Key': randomUUID(),
          ...(body === undefined ? {} : { 'Content-Type': 'application/json' }),
        },
        ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      });
      if (!response.ok) throw new Error(`${method} ${path}: ${await response.text()}`);
      return (response.status === 204 ? undefined : await response.json()) as never;
    };
    return await work(url, call);
  } finally {
    const gone = new Promise((resolve) => child.once('exit', resolve));
    child.kill('SIGINT');
    await gone;
  }
}

/** Looks again and again until something is there. */
export async function until<T>(look: () => Promise<T | null>): Promise<T> {
  for (;;) {
    const found = await look();
    if (found !== null) return found;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}
