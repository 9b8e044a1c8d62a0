import { spawn } from 'node:child_process';
import { existsSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { seconds, timed, type Result } from './measure.mjs';

/** Starts the application as people do and stops it when it has said its address. */
async function startAndStop(root: string, data: string): Promise<number> {
  const child = spawn(
    process.execPath,
    ['scripts/start.mjs', '--port', '0', '--data', data, '--practice-network', '127.89.1'],
    { cwd: root, stdio: ['ignore', 'pipe', 'inherit'] },
  );
  const took = await timed(
    () =>
      new Promise<void>((resolve, reject) => {
        child.once('exit', () => reject(new Error('the server did not start')));
        child.stdout.on('data', (text: Buffer) => {
          if (text.includes('Nest Mark is at')) resolve();
        });
      }),
  );
  const gone = new Promise((resolve) => child.once('exit', resolve));
  child.kill('SIGINT');
  await gone;
  return took;
}

export async function secondStart(root: string, folder: string): Promise<Result> {
  const data = join(folder, 'data');
  const first = await startAndStop(root, data);
  const second = await startAndStop(root, data);
  return {
    what: `start until the address is printed; the first, with database and demo, ${seconds(first)}`,
    figure: seconds(second),
    bound: 'under 5 s',
  };
}

/** What the browser has to load before the first page shows: the page's own files and all that they import at once. */
export function initialBundle(root: string): Result {
  const folder = join(root, 'web/dist/browser');
  const page = readFileSync(join(folder, 'index.html'), 'utf8');
  const waiting = [...page.matchAll(/(?:src|href)="([^"]+\.(?:js|css))"/g)].map((match) => match[1] ?? '');
  const seen = new Set<string>();
  let packed = 0;
  let zipped = 0;
  for (let file = waiting.pop(); file !== undefined; file = waiting.pop()) {
    if (seen.has(file)) continue;
    seen.add(file);
    const content = readFileSync(join(folder, file));
    zipped += gzipSync(content, { level: 9 }).length;
    const sent = join(folder, `${file}.br`);
    packed += existsSync(sent) ? statSync(sent).size : content.length;
    if (file.endsWith('.js'))
      for (const match of content.toString().matchAll(/(?:from|import)\s*"\.\/([^"]+\.js)"/g))
        waiting.push(match[1] ?? '');
  }
  return {
    what: `first page, ${String(seen.size)} files as the server sends them (brotli); by gzip ${(zipped / 1000).toFixed(0)} kB`,
    figure: `${(packed / 1000).toFixed(0)} kB`,
    bound: 'under 350 kB',
  };
}
