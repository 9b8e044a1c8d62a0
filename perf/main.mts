import { chmodSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { join } from 'node:path';
import { seconds, type Result } from './measure.mjs';
import { arrivals } from './arrive.mjs';
import { bringUps } from './bring-up.mjs';
import { checkLarge, filesOfMany, hashing } from './files.mjs';
import { forecastAgainstRounds } from './forecast.mjs';
import { finding } from './find.mjs';
import { growth, inBrowser } from './growth.mjs';
import { findingAmongAll, papers } from './hand-over.mjs';
import { keystrokes } from './keystroke.mjs';
import { personaliseMany } from './plan.mjs';
import { whilePrinting } from './printing.mjs';
import { scanRefused, searchDead } from './sweep.mjs';
import { initialBundle, secondStart } from './start.mjs';
import { writeLarge, writeMany } from './write.mjs';

const root = join(import.meta.dirname, '..');
// Beside the data, not in /tmp: that may be memory, and a card is not.
const folder = mkdtempSync(join(root, 'data/perf-'));
// The database's account must be able to reach it, so that the cluster lies within and goes with it.
chmodSync(folder, 0o755);
type Measured = Result | readonly Result[];

/** Several measurements of one part: each is told before the next begins. */
async function* oneByOne(
  ...measures: readonly (() => Measured | Promise<Measured>)[]
): AsyncGenerator<Result> {
  for (const measure of measures) yield* [await measure()].flat();
}

/** What is measured, in this order: `npm run perf -- write plan` measures only those. */
const parts: Record<string, () => AsyncIterable<Result | string> | Promise<readonly Result[]>> = {
  // First, while the disk is quiet: the next ones leave it busy for a while.
  rounds: () => forecastAgainstRounds(root, folder),
  write: () => writeMany(root, folder),
  large: () => writeLarge(root, folder),
  sweep: () => oneByOne(scanRefused, searchDead),
  find: finding,
  arrive: () => arrivals(root, folder),
  bringup: () => bringUps(),
  printing: () => whilePrinting(root, folder),
  handover: () =>
    oneByOne(
      () => papers(root, folder),
      () => findingAmongAll(folder),
    ),
  plan: () => oneByOne(() => personaliseMany(root), growth),
  files: () => oneByOne(filesOfMany, hashing, () => checkLarge(root, folder)),
  browser: () =>
    oneByOne(
      () => inBrowser(root),
      () => keystrokes(root, folder),
    ),
  start: () =>
    oneByOne(
      () => initialBundle(root),
      () => secondStart(root, folder),
    ),
};
const wanted = process.argv.slice(2);
const unknown = wanted.find((name) => !(name in parts));
if (unknown !== undefined)
  throw new Error(`"${unknown}" is not measured here; choose from ${Object.keys(parts).join(', ')}.`);
const table = join(root, 'data/perf.md');
const lines = [
  `# Measured on ${String(cpus().length)} cores, Node ${process.versions.node}`,
  '',
  '| part | what | figure | wanted |',
  '| --- | --- | --- | --- |',
];
try {
  for (const [name, measure] of Object.entries(parts)) {
    if (wanted.length > 0 && !wanted.includes(name)) continue;
    console.log(`measuring ${name} …`);
    const begun = performance.now();
    for await (const told of await measure()) {
      if (typeof told === 'string') {
        console.log(`  ${told} …`);
        continue;
      }
      const { what, figure, bound } = told;
      console.log(`- ${what}: ${figure}${bound ? ` (wanted: ${bound})` : ''}`);
      lines.push(`| ${name} | ${what} | ${figure} | ${bound} |`);
      // Written after each figure, so that a run that is broken off leaves what it has.
      writeFileSync(table, `${lines.join('\n')}\n`);
    }
    console.log(`  ${name} took ${seconds(performance.now() - begun)}`);
  }
} finally {
  rmSync(folder, { recursive: true, force: true });
}
console.log(`The table is in ${table}`);
