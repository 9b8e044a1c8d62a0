/** A station's writer as a process of its own, to be killed at any moment: tells each card's end on a line. */
import { readFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { writeGang, type GangCard } from '@nest-mark/station';
import { StandInReader } from '../../src/reader/reader';
import { baseOf, fourCards, patchesOf } from './rounds';

async function write(folder: string): Promise<void> {
  const path = join(folder, 'base.img');
  const base = await baseOf(path, readFileSync(path));
  const state = fourCards();
  state.slotRate = 6e6;
  const reader = new StandInReader(folder, () => state);
  const gang: GangCard[] = [];
  for (const [at, slot] of (await reader.list()).entries())
    if (slot.medium)
      gang.push({
        id: slot.id,
        handle: await reader.open(slot.id, slot.medium.identity),
        patches: patchesOf(at + 1),
      });
  writeSync(1, 'begun\n');
  await writeGang(base, gang, {
    keepBlocks: 4,
    onOutcome: (id, outcome) => writeSync(1, `${id} ${outcome.state}\n`),
  });
}

void write(process.argv[2] ?? '');
