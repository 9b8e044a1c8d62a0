import { createHash, randomBytes } from 'node:crypto';
import { mkdtempSync, openSync, readSync, rmSync, closeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { applyPatches, noCardFaults, type Patch } from '@nest-mark/core';
import {
  BLOCK_SIZE,
  blockDigest,
  CardError,
  PauseSwitch,
  writeGang,
  type BaseImage,
  type BlockReader,
  type CardOutcome,
  type GangCard,
  type GangOptions,
} from '@nest-mark/station';
import { Lab } from '../src/index';

/** Not a whole number of blocks, nor of pages. */
const SIZE = 4 * BLOCK_SIZE + 1536;
const image = randomBytes(SIZE);
const readerOf = (bytes: Buffer): BlockReader => ({
  read: (into, offset) => {
    if (offset + into.length > bytes.length) return Promise.reject(new Error('ends early'));
    into.set(bytes.subarray(offset, offset + into.length));
    return Promise.resolve();
  },
  close: () => Promise.resolve(),
});
let base: BaseImage;
let folder = '';
let lab: Lab;

beforeAll(async () => {
  const digest = await blockDigest();
  const blockDigests = Array.from({ length: 5 }, (_, at) =>
    digest(image.subarray(at * BLOCK_SIZE, (at + 1) * BLOCK_SIZE)),
  );
  base = {
    size: SIZE,
    blockSize: BLOCK_SIZE,
    blockDigests,
    open: () => Promise.resolve(readerOf(image)),
  };
});

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-gang-'));
  lab = await Lab.open(folder, '127.61.1');
  await lab.act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  await lab.act({ do: 'insertFresh' });
});
afterEach(async () => {
  await lab.close();
  rmSync(folder, { recursive: true, force: true });
});

const patchesOf = (number: number): Patch[] => [
  { offset: 512, bytes: Buffer.alloc(512, number) },
  { offset: 2 * BLOCK_SIZE - 512, bytes: Buffer.alloc(1024, 0x40 + number) },
  { offset: SIZE - 512, bytes: Buffer.alloc(512, 0x80 + number) },
];

const wanted = (number: number): Buffer => {
  const copy = Buffer.from(image);
  applyPatches(copy, 0, patchesOf(number));
  return copy;
};

/** What is on a card, read from its file. */
function onCard(number: number, length = SIZE): Buffer {
  const file = openSync(join(folder, 'cards', `card-${String(number).padStart(2, '0')}.img`), 'r');
  const bytes = Buffer.alloc(length);
  readSync(file, bytes, 0, length, 0);
  closeSync(file);
  return bytes;
}
const digest = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('hex');
const looksBootable = (number: number): boolean =>
  onCard(number, 512).subarray(510).equals(image.subarray(510, 512)) ||
  onCard(number, BLOCK_SIZE).some((value) => value !== 0);

async function write(
  options: GangOptions = {},
  during?: () => Promise<void>,
): Promise<Map<string, CardOutcome>> {
  const slots = await lab.reader.list();
  const cards: GangCard[] = [];
  for (const [index, slot] of slots.entries())
    if (slot.medium)
      cards.push({
        id: slot.id,
        handle: await lab.reader.open(slot.id, slot.medium.identity),
        patches: patchesOf(index + 1),
      });
  const work = writeGang(base, cards, options);
  await during?.();
  const outcomes = await work;
  for (const card of cards) await card.handle.close();
  return outcomes;
}

const states = (outcomes: Map<string, CardOutcome>): string[] =>
  [...outcomes.values()].map((outcome) => (outcome.state === 'failed' ? outcome.code : outcome.state));

describe('the gang writer on stand-in cards', () => {
  it('writes four cards, each byte for byte base plus its patches', async () => {
    const phases = new Set<string>();
    const outcomes = await write({
      onProgress: (_id, phase, done, total) => phases.add(`${phase} ${String(done === total)}`),
    });
    expect(states(outcomes)).toEqual(['verified', 'verified', 'verified', 'verified']);
    for (const number of [1, 2, 3, 4]) expect(digest(onCard(number))).toBe(digest(wanted(number)));
    expect([...phases].sort()).toContain('verifying true');
    expect(
      onCard(1, SIZE + 4096)
        .subarray(SIZE)
        .every((value) => value === 0),
    ).toBe(true);
  });

  it('finds a card that stores another byte, names its offset, and empties nothing but that card', async () => {
    const at = 3 * BLOCK_SIZE + 777;
    await lab.act({ do: 'cardFaults', cardId: 'card-02', faults: { ...noCardFaults, wrongByteAt: at } });
    const outcomes = await write();
    expect(states(outcomes)).toEqual(['verified', 'mismatch', 'verified', 'verified']);
    const bad = outcomes.get('slot-2');
    expect(bad?.state === 'failed' && bad.message).toContain(`byte ${String(at)}`);
    expect(looksBootable(2)).toBe(false);
    for (const number of [1, 3, 4]) expect(digest(onCard(number))).toBe(digest(wanted(number)));
  });

  it('finds a wrong byte in the first block too, and takes the block back', async () => {
    await lab.act({ do: 'cardFaults', cardId: 'card-03', faults: { ...noCardFaults, wrongByteAt: 600 } });
    const outcomes = await write();
    expect(states(outcomes)).toEqual(['verified', 'verified', 'mismatch', 'verified']);
    // The bad spot itself cannot be emptied; the boot signature and the rest are.
    expect(onCard(3, 512).every((value) => value === 0)).toBe(true);
  });

  it('finds a card that lacks only the last octets of the image, whose beginning lies over its end', async () => {
    const lies = { realSize: 4 * BLOCK_SIZE, beyond: 'wraps' as const };
    await lab.act({ do: 'cardFaults', cardId: 'card-01', faults: { ...noCardFaults, lies } });
    const outcomes = await write();
    expect(states(outcomes)).toEqual(['mismatch', 'verified', 'verified', 'verified']);
    expect(looksBootable(1)).toBe(false);
  });

  it('does not wait for a slow card, nor for one that answers late', async () => {
    await lab.act({ do: 'pace', bootSeconds: 0, slotRate: 80e6 });
    const slow = { ...noCardFaults, rate: 8e6 };
    const late = { ...noCardFaults, late: { at: 2 * BLOCK_SIZE, seconds: 2 } };
    await lab.act({ do: 'cardFaults', cardId: 'card-02', faults: slow });
    await lab.act({ do: 'cardFaults', cardId: 'card-03', faults: late });
    const order: string[] = [];
    const outcomes = await write({ keepBlocks: 4, onOutcome: (id) => order.push(id) });
    expect(new Set(states(outcomes))).toEqual(new Set(['verified']));
    expect(order.slice(0, 2).sort()).toEqual(['slot-1', 'slot-4']);
    expect(order.slice(2)).toEqual(['slot-3', 'slot-2']);
  });

  it('can be held between two blocks and let go again', async () => {
    const pause = new PauseSwitch();
    pause.pause();
    let done = 0;
    const outcomes = await write({ pause, onProgress: () => done++ }, async () => {
      await new Promise((resolve) => setTimeout(resolve, 200));
      expect(done).toBe(0);
      pause.resume();
    });
    expect(new Set(states(outcomes))).toEqual(new Set(['verified']));
  });

  it('lets a dying and a pulled card go without harm to the others', async () => {
    await lab.act({
      do: 'cardFaults',
      cardId: 'card-01',
      faults: { ...noCardFaults, diesAtByte: 2 * BLOCK_SIZE },
    });
    await lab.act({ do: 'pace', bootSeconds: 0, slotRate: 60e6 });
    const outcomes = await write({}, async () => {
      await new Promise((resolve) => setTimeout(resolve, 150));
      await lab.act({ do: 'pull', slotId: 'slot-4' });
    });
    expect(states(outcomes)).toEqual(['io', 'verified', 'verified', 'pulled']);
    expect([looksBootable(1), looksBootable(4)]).toEqual([false, false]);
    for (const number of [2, 3]) expect(digest(onCard(number))).toBe(digest(wanted(number)));
  });

  it('can be cancelled at any moment; no card then looks finished', async () => {
    await lab.act({ do: 'pace', bootSeconds: 0, slotRate: 100e6 });
    const stop = new AbortController();
    const outcomes = await write({ signal: stop.signal }, async () => {
      await new Promise((resolve) => setTimeout(resolve, 80));
      stop.abort();
    });
    expect(new Set(states(outcomes))).toEqual(new Set(['cancelled']));
    expect([1, 2, 3, 4].map(looksBootable)).toEqual([false, false, false, false]);
  });

  it('gives up a reader that stops answering', async () => {
    const slots = await lab.reader.list();
    const [first, second] = slots;
    if (!first?.medium || !second?.medium) throw new Error('no cards');
    const handle = await lab.reader.open(first.id, first.medium.identity);
    const stuck: GangCard = {
      id: 'stuck',
      handle: {
        pastCache: true,
        size: handle.size,
        write: (_block, offset) =>
          offset > BLOCK_SIZE ? new Promise<void>(() => undefined) : Promise.resolve(),
        read: () => Promise.resolve(),
        flush: () => Promise.resolve(),
        close: () => Promise.resolve(),
      },
      patches: [],
    };
    const good: GangCard = {
      id: 'good',
      handle: await lab.reader.open(second.id, second.medium.identity),
      patches: [],
    };
    const outcomes = await writeGang(base, [stuck, good], { stallMs: 300 });
    expect(states(outcomes)).toEqual(['stalled', 'verified']);
    await handle.close();
    await good.handle.close();
  });

  it('writes nothing that boots when the image on the shelf was changed or ends early', async () => {
    const whole = base;
    const spoil = async (change: Partial<BaseImage>): Promise<void> => {
      base = { ...whole, ...change };
      const outcomes = await write();
      expect(new Set(states(outcomes))).toEqual(new Set(['image']));
      expect([1, 2, 3, 4].map(looksBootable)).toEqual([false, false, false, false]);
    };
    await spoil({ blockDigests: whole.blockDigests.map((value, at) => (at === 3 ? 'f'.repeat(32) : value)) });
    await spoil({ open: () => Promise.resolve(readerOf(image.subarray(0, 3 * BLOCK_SIZE))) });
    await spoil({ open: () => Promise.reject(new Error('the shelf’s disk is gone')) });
    base = whole;
  });

  it('refuses a card that is smaller than the image', async () => {
    await lab.act({ do: 'pull', slotId: 'slot-1' });
    const outcomes = await write();
    expect(outcomes.size).toBe(3);
    let touched = false;
    const tiny: GangCard = {
      id: 'tiny',
      handle: {
        pastCache: true,
        size: SIZE - 1,
        write: () => {
          touched = true;
          return Promise.resolve();
        },
        read: () => Promise.resolve(),
        flush: () => Promise.resolve(),
        close: () => Promise.resolve(),
      },
      patches: [],
    };
    expect(states(await writeGang(base, [tiny]))).toEqual(['small']);
    // What is on it stays on it.
    expect(touched).toBe(false);
  });
});

describe('opening a card', () => {
  const code = (work: Promise<unknown>): Promise<string> =>
    work.then(
      () => 'no error',
      (error: unknown) => (error instanceof CardError ? error.code : String(error)),
    );

  it('is refused when it is another one than was armed, in use, or gone', async () => {
    const [slot] = await lab.reader.list();
    if (!slot?.medium) throw new Error('no card');
    const { identity } = slot.medium;
    const handle = await lab.reader.open(slot.id, identity);
    expect(await code(lab.reader.open(slot.id, identity))).toBe('busy');
    await handle.close();
    await lab.act({ do: 'pull', slotId: slot.id });
    expect(await code(lab.reader.open(slot.id, identity))).toBe('pulled');
    await lab.act({ do: 'insert', cardId: 'card-09', slotId: slot.id });
    expect(await code(lab.reader.open(slot.id, identity))).toBe('changed');
  });

  it('of a locked card fails at the first write, with a sentence', async () => {
    await lab.act({ do: 'pull', slotId: 'slot-1' });
    await lab.act({ do: 'insert', cardId: 'card-locked', slotId: 'slot-1' });
    expect(states(await write())).toEqual(['protected', 'verified', 'verified', 'verified']);
  });
});
