import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { cpus } from 'node:os';
import { join } from 'node:path';
import type { Result } from './measure.mjs';
import { checksInBrowser, personaliseMany } from './plan.mjs';
import { scanRefused } from './scan.mjs';
import { initialBundle, secondStart } from './start.mjs';
import { writeFour } from './write-four.mjs';

const root = join(import.meta.dirname, '..');
// Beside the data, not in /tmp: that may be memory, and a card is not.
const folder = mkdtempSync(join(root, 'data/bench-'));
// The database's account must be able to reach it, so that the cluster lies within and goes with it.
chmodSync(folder, 0o755);
const results: Result[] = [];
try {
  results.push(...(await writeFour(folder)));
  results.push(await scanRefused(), await personaliseMany(root), await checksInBrowser(root));
  results.push(initialBundle(root), await secondStart(root, folder));
} finally {
  rmSync(folder, { recursive: true, force: true });
}
console.log(`\nOn ${String(cpus().length)} cores, Node ${process.versions.node}:`);
for (const { what, figure, bound } of results)
  console.log(`- ${what}: ${figure}${bound ? ` (wanted: ${bound})` : ''}`);
