/** Writes a gang of card files in a process of its own, so that its memory can be told: `tsx gang-process.mts JSON`. */
import { existsSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { DirectFile, shelvedBase, writeGang, type CardHandle } from '@nest-mark/station';
import type { GangOrder, GangReport } from './write.mjs';

/** A card that takes so many octets per second, and may stall once. */
function paced(handle: CardHandle, rate: number, stallSeconds: number): CardHandle {
  let freeAt = performance.now();
  let stalled = stallSeconds === 0;
  const wait = async (bytes: number): Promise<void> => {
    if (!stalled) {
      stalled = true;
      await new Promise((resolve) => setTimeout(resolve, stallSeconds * 1000));
    }
    if (rate === 0) return;
    freeAt = Math.max(freeAt, performance.now() - 500) + (bytes / rate) * 1000;
    const pause = freeAt - performance.now();
    if (pause > 1) await new Promise((resolve) => setTimeout(resolve, pause));
  };
  return {
    pastCache: true,
    size: handle.size,
    write: async (block, offset) => {
      await wait(block.length);
      await handle.write(block, offset);
    },
    read: async (into, offset) => {
      await wait(into.length);
      await handle.read(into, offset);
    },
    flush: () => handle.flush(),
    close: () => handle.close(),
  };
}

const order = JSON.parse(process.argv[2] ?? '') as GangOrder;
const gang = [];
for (const [at, { rate, stallSeconds }] of order.cards.entries()) {
  const path = join(order.folder, `card-${String(at)}.img`);
  if (!existsSync(path)) writeFileSync(path, '');
  truncateSync(path, order.facts.rawSize + (64 << 20));
  const handle = paced(await DirectFile.open(path, order.facts.rawSize + (64 << 20)), rate, stallSeconds);
  gang.push({ id: String(at), handle, patches: [{ offset: 5 << 20, bytes: new Uint8Array(8192).fill(at) }] });
}
const begun = performance.now();
const ends: number[] = [];
const outcomes = await writeGang(shelvedBase(order.shelf, order.facts), gang, {
  onOutcome: (id) => (ends[Number(id)] = performance.now() - begun),
});
const took = performance.now() - begun;
for (const outcome of outcomes.values())
  if (outcome.state !== 'verified') throw new Error(JSON.stringify(outcome));
const report: GangReport = { took, ends, peakMiB: process.resourceUsage().maxRSS / 1024 };
console.log(JSON.stringify(report));
