import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Output of a reference tool; throws with what it said when it fails. */
export function run(command: string, args: readonly string[], input?: string | Uint8Array): string {
  return execFileSync(command, args, {
    input,
    encoding: 'utf8',
    stdio: ['pipe', 'pipe', 'pipe'],
    env: environment,
  });
}

/** Output octets of a reference tool. */
export const runBytes = (command: string, args: readonly string[]): Uint8Array =>
  new Uint8Array(
    execFileSync(command, args, { stdio: ['ignore', 'pipe', 'pipe'], env: environment, maxBuffer: 1 << 28 }),
  );

/** Exit code and everything that a reference tool printed. */
export function attempt(command: string, args: readonly string[]): { code: number | null; output: string } {
  const result = spawnSync(command, args, { encoding: 'utf8', env: environment });
  if (result.error) throw result.error;
  return { code: result.status, output: result.stdout + result.stderr };
}

/** Debian keeps disk tools where a plain user's path does not lead; mtools otherwise asks about the host's clock. */
const environment = {
  ...process.env,
  PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin`,
  MTOOLS_SKIP_CHECK: '0',
  LC_ALL: 'C.UTF-8',
};

/** Runs with a scratch folder that is removed afterwards. */
export async function inScratch<T>(work: (folder: string) => Promise<T> | T): Promise<T> {
  const folder = mkdtempSync(join(tmpdir(), 'nest-mark-test-'));
  try {
    return await work(folder);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
