import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build } from 'esbuild';
import { amount } from '../../core/test/helpers/soak';
import { isSafe, onCard, SIZE, smallImage, useCard, wantedOn } from './helpers/rounds';

const much = amount('kill', 3, 100, 0);
const KILLS = much.runs;
let folder = '';
let program = '';

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-kill-'));
  // Beside the sources, so that it finds the packages that stay external.
  program = join(__dirname, `../.kill-${String(process.pid)}.mjs`);
  await build({
    entryPoints: [join(__dirname, 'helpers/writer-process.ts')],
    outfile: program,
    bundle: true,
    platform: 'node',
    format: 'esm',
    alias: {
      '@nest-mark/core': join(__dirname, '../../core/src'),
      '@nest-mark/station': join(__dirname, '../../station/src'),
    },
    packages: 'external',
    logLevel: 'error',
  });
});
afterAll(() => {
  rmSync(folder, { recursive: true, force: true });
  rmSync(program, { force: true });
});

it(`a writer killed at ${String(KILLS)} moments leaves no card that looks finished without being so`, async () => {
  const { image } = await smallImage(folder);
  const old = randomBytes(SIZE);
  old.writeUInt16LE(0xaa55, 510);
  const seen = { verified: 0, untouched: 0, emptied: 0 };

  /**
   * Writes four cards and looks at them.
   * @param killAfter milliseconds from the first octet; null for a round that ends by itself
   * @returns milliseconds from the first octet to the end
   */
  async function writeAndLook(killAfter: number | null): Promise<number> {
    for (const number of [1, 2, 3, 4]) useCard(folder, number, old);
    const child = spawn(process.execPath, [program, folder], { stdio: ['ignore', 'pipe', 'inherit'] });
    let told = '';
    child.stdout.on('data', (part: Buffer) => (told += part.toString()));
    while (!told.includes('begun')) await once(child.stdout, 'data');
    const begun = performance.now();
    const killer = killAfter === null ? undefined : setTimeout(() => child.kill('SIGKILL'), killAfter);
    await once(child, 'close');
    const took = performance.now() - begun;
    clearTimeout(killer);
    for (const number of [1, 2, 3, 4]) {
      const card = onCard(folder, number);
      const wanted = wantedOn(image, number);
      const reported = told.includes(`slot-${String(number)} verified`);
      const good = reported ? card.equals(wanted) : isSafe(card, old, wanted);
      expect({ killAfter, number, told, good }).toEqual({ killAfter, number, told, good: true });
      if (reported) seen.verified++;
      else if (card.equals(old)) seen.untouched++;
      else if (!card.equals(wanted)) seen.emptied++;
    }
    return took;
  }

  // How long a round takes here and now: the moments are spread evenly over it and a little beyond.
  let length = await writeAndLook(null);
  expect(seen).toEqual({ verified: 4, untouched: 0, emptied: 0 });
  seen.verified = 0;
  for (let kill = 0; kill < KILLS; kill++) {
    await writeAndLook((kill / KILLS) * length * 1.1);
    much.step();
  }
  // The moments met writing as well as the end, or the test proved little; the machine may have become slower.
  expect(seen.emptied).toBeGreaterThanOrEqual(KILLS / 2);
  while (seen.verified === 0) await writeAndLook((length *= 1.5));
}, 3_600_000);
