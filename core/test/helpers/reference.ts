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

/** cloud-init's own command, asked about one file after the other: it takes two seconds to start. */
const schemaOfEach = `
import contextlib, io, json, sys
from argparse import Namespace
from cloudinit.config.schema import handle_schema_args
said = []
for path in sys.argv[1:]:
    out = io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(out):
        try:
            handle_schema_args("schema", Namespace(config_file=path, docs=None, system=False, annotate=False))
        except SystemExit as end:
            print(end, file=out)
    said.append(out.getvalue())
json.dump(said, sys.stdout)
`;

/** What "cloud-init schema --config-file" says of each file (Debian 12, 22.4.2). */
export const schemaSays = (files: readonly string[]): string[] =>
  JSON.parse(run('/usr/bin/python3', ['-c', schemaOfEach, ...files])) as string[];

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
