import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { noCardFaults, type CardFaults } from '@nest-mark/core';
import { CardError, PauseSwitch, writeGang, type CardFault, type GangCard } from '@nest-mark/station';
import { StandInReader } from '../src/reader/reader';
import { amount } from '../../core/test/helpers/soak';
import { fourCards, isSafe, onCard, patchesOf, SIZE, smallImage, useCard, wantedOn } from './helpers/rounds';

/** The same faults each time, unless others are asked for. */
const much = amount('faults', 10, 200, 20_261_128);
const ROUNDS = much.runs;
/** Milliseconds. */
const STALL = 1000;
const { seed } = much;

/** Mulberry32: a small generator whose cases can be repeated by their seed. */
function random(start: number): (below: number) => number {
  let state = start;
  return (below) => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return (((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32) * below;
  };
}

interface Case {
  kind: string;
  faults: CardFaults;
  /** Milliseconds after which a hand pulls the card. */
  pulledAfter: number | null;
  /** How the card may end. */
  may: readonly ('verified' | 'cancelled' | CardFault)[];
}

/** One card's fault of random kind, place and time. */
function draw(below: (limit: number) => number): Case {
  // Places beyond the image's end do no harm, and must not be reported.
  const at = Math.floor(below(SIZE * 1.2));
  const hit = at < SIZE;
  const make = (kind: string, faults: Partial<CardFaults>, ...may: Case['may'][number][]): Case => ({
    kind,
    faults: { ...noCardFaults, ...faults },
    pulledAfter: null,
    may,
  });
  const kinds: (() => Case)[] = [
    () => make('works', {}, 'verified'),
    () => make('wrong byte', { wrongByteAt: at }, hit ? 'mismatch' : 'verified'),
    () => make('dies', { diesAtByte: at }, hit ? 'io' : 'verified'),
    () => {
      const realSize = Math.max(1, Math.floor(at / 4096)) * 4096;
      const beyond = below(2) < 1 ? 'wraps' : 'loses';
      return make(
        `lies, ${beyond}`,
        { lies: { realSize, beyond } },
        realSize < SIZE ? 'mismatch' : 'verified',
      );
    },
    () => make('loses contact', { losesContactAt: at }, hit ? 'pulled' : 'verified'),
    () => make('late', { late: { at, seconds: STALL / 4000 } }, 'verified'),
    () => make('never answers', { late: { at, seconds: (STALL / 1000) * 3 } }, hit ? 'stalled' : 'verified'),
    () => make('locked', { locked: true }, 'protected'),
    () => make('busy', { busy: true }, 'busy'),
    () => make('slow', { rate: 8e6 + below(40e6) }, 'verified'),
    () => ({ ...make('pulled by hand', { rate: 20e6 }, 'verified', 'pulled'), pulledAfter: below(180) }),
  ];
  return kinds[Math.floor(below(kinds.length))]!();
}

/**
 * Looks all the time how long this machine takes for one small write. While it takes longer than a card may, any card
 * is rightly told to have stalled.
 */
class Machine {
  private longest = 0;
  private over = false;
  private readonly looking: Promise<void>;

  constructor(folder: string) {
    this.looking = this.look(join(folder, 'machine'));
  }

  /** @returns whether it stood still for so long since it was asked for the last time */
  stoodStill(milliseconds: number): boolean {
    const still = this.longest > milliseconds;
    this.longest = 0;
    return still;
  }

  end(): Promise<void> {
    this.over = true;
    return this.looking;
  }

  private async look(path: string): Promise<void> {
    while (!this.over) {
      const begun = performance.now();
      await writeFile(path, 'x', { flush: true });
      await new Promise((resolve) => setTimeout(resolve, 10));
      this.longest = Math.max(this.longest, performance.now() - begun);
    }
  }
}

it(`${String(ROUNDS * 4)} random faults: every card is as it is reported (NEST_MARK_SEED=${String(seed)} repeats them)`, async () => {
  const below = random(seed);
  const folder = mkdtempSync(join(tmpdir(), 'nest-mark-faults-'));
  const ended: Record<string, number> = {};
  const machine = new Machine(folder);
  try {
    const { image, base } = await smallImage(folder);
    const old = randomBytes(SIZE);
    old.writeUInt16LE(0xaa55, 510);
    for (let round = 0; round < ROUNDS; round++) {
      much.step();
      const cases = [1, 2, 3, 4].map(() => draw(below));
      const state = fourCards(cases.map(({ faults }) => faults));
      // Cards of their own: a reader that answers late writes to the card that it was asked to write.
      const drawer = join(folder, `round-${String(round)}`);
      const reader = new StandInReader(drawer, () => state);
      for (const number of [1, 2, 3, 4]) useCard(drawer, number, old);
      const gang: GangCard[] = [];
      const outcomes = new Map<string, string>();
      const said = new Map<string, string>();
      for (const [at, slot] of (await reader.list()).entries())
        try {
          const handle = await reader.open(slot.id, slot.medium!.identity);
          gang.push({ id: slot.id, handle, patches: patchesOf(at + 1) });
        } catch (error) {
          outcomes.set(slot.id, error instanceof CardError ? error.code : String(error));
        }
      const timers = cases.map(({ pulledAfter }, at) =>
        pulledAfter === null ? undefined : setTimeout(() => reader.pulled(state.cards[at]!.id), pulledAfter),
      );
      // Some rounds are held for a moment, some are stopped.
      const pause = new PauseSwitch();
      const stop = new AbortController();
      const twist = below(10);
      if (twist < 2) {
        timers.push(setTimeout(() => pause.pause(), below(60)));
        timers.push(setTimeout(() => pause.resume(), 60 + below(60)));
      } else if (twist < 3) timers.push(setTimeout(() => stop.abort(), below(80)));
      const results = await writeGang(base, gang, {
        stallMs: STALL,
        keepBlocks: 4,
        pause,
        signal: stop.signal,
      });
      timers.forEach(clearTimeout);
      for (const [id, outcome] of results) {
        outcomes.set(id, outcome.state === 'failed' ? outcome.code : outcome.state);
        if (outcome.state === 'failed') said.set(id, outcome.message);
      }
      // Writing a card's blocks takes several times as long as one octet: what slows that down a little may slow a
      // block down beyond what a card may take. A machine that answers at once leaves nothing to excuse.
      const slow = machine.stoodStill(STALL / 8);
      cases.forEach(({ kind, may, faults }, at) => {
        const number = at + 1;
        const end = outcomes.get(`slot-${String(number)}`) ?? 'nothing';
        const allowed: readonly string[] = [
          ...may,
          ...(stop.signal.aborted ? ['cancelled'] : []),
          ...(slow ? ['stalled'] : []),
        ];
        const card = onCard(drawer, number);
        const wanted = wantedOn(image, number);
        const told = { round, number, kind, faults, end };
        expect({ ...told, allowed: allowed.includes(end) ? 'yes' : allowed }).toEqual({
          ...told,
          allowed: 'yes',
        });
        const asReported = end === 'verified' ? card.equals(wanted) : isSafe(card, old, wanted);
        expect({ ...told, asReported }).toEqual({ ...told, asReported: true });
        if (end === 'mismatch' && kind === 'wrong byte')
          expect(said.get(`slot-${String(number)}`)).toContain(`byte ${String(faults.wrongByteAt)}.`);
        ended[end] = (ended[end] ?? 0) + 1;
      });
    }
    // A run that never met one of the ends would prove little.
    for (const end of ['verified', 'mismatch', 'io', 'pulled', 'stalled', 'protected', 'busy'])
      expect({ end, met: (ended[end] ?? 0) > 0 }).toEqual({ end, met: true });
  } finally {
    await machine.end();
    rmSync(folder, { recursive: true, force: true, maxRetries: 10, retryDelay: 100 });
  }
}, 3_600_000);
