import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { cpus } from 'node:os';
import { join } from 'node:path';
import type { Result } from './measure.mjs';
import { forecastAgainstRounds } from './forecast.mjs';
import { growth, inBrowser } from './growth.mjs';
import { keystrokes } from './keystroke.mjs';
import { personaliseMany } from './plan.mjs';
import { scanRefused } from './scan.mjs';
import { initialBundle, secondStart } from './start.mjs';
import { writeLarge, writeMany } from './write.mjs';

const root = join(import.meta.dirname, '..');
// Beside the data, not in /tmp: that may be memory, and a card is not.
const folder = mkdtempSync(join(root, 'data/bench-'));
// The database's account must be able to reach it, so that the cluster lies within and goes with it.
chmodSync(folder, 0o755);
const results: Result[] = [];
try {
  // First, while the disk is quiet: the next one leaves it busy for a while.
  results.push(...(await forecastAgainstRounds(root, folder)));
  results.push(...(await writeMany(root, folder)), ...(await writeLarge(root, folder)));
  results.push(await scanRefused(), await personaliseMany(root));
  results.push(...(await growth()), ...(await inBrowser(root)));
  results.push(...(await keystrokes(root, folder)));
  results.push(initialBundle(root), await secondStart(root, folder));
} finally {
  rmSync(folder, { recursive: true, force: true });
}
console.log(`\nOn ${String(cpus().length)} cores, Node ${process.versions.node}:`);
for (const { what, figure, bound } of results)
  console.log(`- ${what}: ${figure}${bound ? ` (wanted: ${bound})` : ''}`);
