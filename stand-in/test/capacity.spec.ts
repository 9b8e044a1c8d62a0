import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { noCardFaults, type CardFaults } from '@nest-mark/core';
import {
  CardError,
  FileSource,
  capacityCheckStopped,
  checkCapacity,
  restoreCard,
  type CardHandle,
} from '@nest-mark/station';
import { inspectDisk } from '@nest-mark/core/disk';
import { soaking } from '../../core/test/helpers/soak';
import { StandInReader } from '../src/reader/reader';
import { cardPath, fourCards } from './helpers/rounds';

const MiB = 1 << 20;
const GB = 1e9;
let folder = '';
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'nest-mark-capacity-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

/** Cards of the largest sizes take long to look over; the way is the same. */
const large = (...sizes: [number, number][]): [number, number][] => (soaking ? sizes : []);

async function card(size: number, faults: Partial<CardFaults>): Promise<CardHandle> {
  const state = fourCards([{ ...noCardFaults, ...faults }]);
  state.cards[0]!.size = size;
  const reader = new StandInReader(folder, () => state);
  const [slot] = await reader.list();
  return reader.open('slot-1', slot!.medium!.identity);
}

describe('the capacity check of a card', () => {
  it.each([
    [64 * MiB, 'a small one'],
    [16 * GB, 'a card of 16 GB'],
    [4 * GB + 512, 'one of no whole pages'],
  ])('finds nothing on a good card: %d bytes, %s', async (size) => {
    const handle = await card(size, {});
    const shares: number[] = [];
    expect(await checkCapacity(handle, { onProgress: (share) => shares.push(share) })).toMatchObject({
      state: 'good',
      realSize: null,
    });
    expect(shares.at(-1)).toBe(1);
    await handle.close();
  });

  // Sizes that are no powers of two, below and above the densely stamped stretch, and just short of the whole.
  it.each([
    [32 * GB, 7_456_128 * 1024],
    [16 * GB, 40 * MiB + 4096],
    [16 * GB, 15 * GB - ((15 * GB) % 4096) - 4096],
    ...large([64 * GB, 8 * 2 ** 30], [128 * GB, 31_914_983_424]),
  ])(
    'finds that a card of %d bytes holds %d, when its end lies over its beginning',
    async (size, realSize) => {
      const handle = await card(size, { lies: { realSize, beyond: 'wraps' } });
      expect(await checkCapacity(handle)).toMatchObject({ state: 'lies', realSize });
      await handle.close();
    },
  );

  it.each([[16 * GB, 1_000_001_536 - (1_000_001_536 % 4096)], ...large([64 * GB, 8 * 2 ** 30])])(
    'finds that a card of %d bytes loses what lies beyond %d, to 1 MiB',
    async (size, realSize) => {
      const handle = await card(size, { lies: { realSize, beyond: 'loses' } });
      const result = await checkCapacity(handle);
      expect(result.state).toBe('lies');
      expect(Math.abs((result.realSize ?? 0) - realSize)).toBeLessThanOrEqual(MiB);
      await handle.close();
    },
  );

  it('tells a bad spot from a lie, and names it', async () => {
    const handle = await card(16 * GB, { wrongByteAt: 5 * MiB + 77 });
    const result = await checkCapacity(handle);
    expect(result).toMatchObject({ state: 'bad', realSize: null, badAt: [5 * MiB] });
    expect(result.text).toContain(`byte ${String(5 * MiB)}`);
    await handle.close();
  });

  it('ends when the card is pulled, and when it is told to', async () => {
    const handle = await card(16 * GB, { losesContactAt: 3 * MiB });
    await expect(checkCapacity(handle)).rejects.toThrow(CardError);
    await handle.close();
    const stop = new AbortController();
    const other = await card(16 * GB, {});
    const ended = await checkCapacity(other, { signal: stop.signal, onProgress: () => stop.abort() }).catch(
      (error: unknown) => capacityCheckStopped(error),
    );
    expect(ended).toBe(true);
    await other.close();
  });

  it('leaves a card that shows all of its size again', async () => {
    const size = 16 * GB;
    const handle = await card(size, {});
    await restoreCard(handle);
    await handle.close();
    const source = await FileSource.open(cardPath(folder, 1));
    const partitions = await inspectDisk(source);
    await source.close();
    expect(partitions).toMatchObject([{ fileSystem: 'fat32', offset: MiB }]);
    expect(partitions[0]!.offset + partitions[0]!.size).toBeGreaterThan(size - 512);
  });
});
