import { randomInt } from 'node:crypto';
import { bothSizes } from '@nest-mark/core';
import { CardError, type CardHandle } from '../ports';
import { BlockPool } from '../writer/block-pool';
import { InFlight } from '../writer/in-flight';
import { STAMP, Stamps } from './stamp';

/** What a check found. */
export interface CapacityResult {
  state: 'good' | 'lies' | 'bad';
  text: string;
  /** Octets that the card holds, as near as it was found out; null when it holds what it says. */
  realSize: number | null;
  /** Beginnings of the stretches that gave back other octets than were written. */
  badAt: number[];
}

export interface CapacityOptions {
  signal?: AbortSignal;
  /** Share of the work that is done, 0 to 1. */
  onProgress?: (share: number) => void;
  stallMs?: number;
}

const MiB = 1 << 20;
/** Stretch at the card's beginning that is stamped without a gap, and the distance of the stamps behind it. */
const strideOf = (size: number): number => {
  const wanted = Math.min(512 * MiB, Math.max(16 * MiB, size / 256));
  return Math.ceil(wanted / MiB) * MiB;
};

class Stopped extends Error {
  override readonly name = 'Stopped';
}

/**
 * Checks that a card holds what it says, in minutes: its beginning is stamped without a gap, the rest at even
 * distances of the same length, and everything is read back past the cache. On a card whose end lies over its
 * beginning, whatever its true size, one of the spread stamps lands among the dense ones and is found there; a card
 * that loses what lies beyond its true size gives back no stamp there. Erases the card.
 * @throws CardError when the card was pulled or does not answer; Stopped is told by the signal
 */
export async function checkCapacity(
  handle: CardHandle,
  options: CapacityOptions = {},
): Promise<CapacityResult> {
  return new Checking(handle, options).run();
}

class Checking {
  private readonly stamps = new Stamps([randomInt(2 ** 32), randomInt(2 ** 32)]);
  private readonly flight: InFlight;
  private readonly size: number;
  private readonly stride: number;
  /** Places of stamps that came back wrong. */
  private readonly wrong: number[] = [];
  /** Smallest distance between a stamp's place and where it was found. */
  private wraps: number | null = null;
  private bytes: Uint8Array = new Uint8Array(0);

  constructor(
    private readonly handle: CardHandle,
    private readonly options: CapacityOptions,
  ) {
    this.flight = new InFlight(1, options.stallMs ?? 30_000);
    this.size = Math.floor(handle.size / STAMP) * STAMP;
    this.stride = Math.min(strideOf(handle.size), this.size);
  }

  async run(): Promise<CapacityResult> {
    if (this.size === 0) throw new CardError('small', 'The card reports no size. Try another reader.');
    this.bytes = (await new BlockPool(MiB, 1).take()).bytes;
    const places = this.places();
    const steps = places.length * 2;
    let done = 0;
    const step = (): void => {
      this.options.onProgress?.(++done / steps);
    };
    for (const { offset, length } of places) {
      await this.stamp(offset, length);
      step();
    }
    await this.flight.timed(this.handle.flush());
    for (const { offset, length } of places) {
      await this.check(offset, length);
      step();
    }
    return this.judge();
  }

  /** Dense at the beginning in pieces of 1 MiB, then one stamp per stride, and one at the very end. */
  private places(): { offset: number; length: number }[] {
    const places: { offset: number; length: number }[] = [];
    for (let at = 0; at < this.stride; at += MiB)
      places.push({ offset: at, length: Math.min(MiB, this.stride - at) });
    for (let at = this.stride; at < this.size; at += this.stride) places.push({ offset: at, length: STAMP });
    const end = this.size - STAMP;
    if (end > (places.at(-1)?.offset ?? 0)) places.push({ offset: end, length: STAMP });
    return places;
  }

  private mayGoOn(): void {
    if (this.options.signal?.aborted) throw new Stopped();
  }

  private async stamp(offset: number, length: number): Promise<void> {
    this.mayGoOn();
    const bytes = this.bytes.subarray(0, length);
    this.stamps.write(bytes, offset);
    try {
      await this.flight.timed(this.handle.write(bytes, offset));
    } catch (error) {
      // A spot that cannot be written is found when it is read.
      if (!(error instanceof CardError && error.code === 'io')) throw error;
    }
  }

  private async check(offset: number, length: number): Promise<void> {
    this.mayGoOn();
    const bytes = this.bytes.subarray(0, length);
    try {
      await this.flight.timed(this.handle.read(bytes, offset));
    } catch (error) {
      if (!(error instanceof CardError && error.code === 'io')) throw error;
      bytes.fill(0);
    }
    const wanted = new Uint8Array(STAMP);
    for (let at = 0; at < length; at += STAMP) {
      const got = bytes.subarray(at, at + STAMP);
      this.stamps.write(wanted, offset + at);
      if (Buffer.compare(got, wanted) === 0) continue;
      this.wrong.push(offset + at);
      const found = this.stamps.find(got);
      const apart = found ? found.meantFor - (offset + at + found.at) : 0;
      if (apart > 0) this.wraps = Math.min(this.wraps ?? apart, apart);
    }
  }

  private async judge(): Promise<CapacityResult> {
    const says = bothSizes(this.handle.size);
    const [first] = this.wrong;
    if (this.wraps !== null) return this.lies(this.wraps, 'its end lies over its beginning');
    if (first === undefined)
      return {
        state: 'good',
        text: `It holds its ${says}, and gave back every stamp.`,
        realSize: null,
        badAt: [],
      };
    // Everything behind the first wrong place is wrong as well: the card ends there.
    const behind = this.places().filter(({ offset }) => offset >= first);
    const ends =
      first >= this.stride && behind.length > 1 && behind.every(({ offset }) => this.wrong.includes(offset));
    if (ends) return this.lies(await this.findEnd(first - this.stride, first), 'it loses what lies beyond');
    const count = this.wrong.length;
    return {
      state: 'bad',
      text: `It gave back other data than was written at ${String(count)} ${count === 1 ? 'place' : 'places'}, first at byte ${String(first)}. Do not use it.`,
      realSize: null,
      badAt: this.wrong.slice(0, 100),
    };
  }

  private lies(realSize: number, how: string): CapacityResult {
    return {
      state: 'lies',
      text: `It says ${bothSizes(this.handle.size)} and holds about ${bothSizes(realSize)}: ${how}. Do not use it; give it back to the seller.`,
      realSize,
      badAt: [],
    };
  }

  /** Halves the stretch between a good and a lost stamp until the end is known to 1 MiB. */
  private async findEnd(good: number, lost: number): Promise<number> {
    let low = good;
    let high = lost;
    while (high - low > MiB) {
      const middle = low + Math.floor((high - low) / 2 / STAMP) * STAMP;
      await this.stamp(middle, STAMP);
      await this.flight.timed(this.handle.flush());
      const before = this.wrong.length;
      await this.check(middle, STAMP);
      if (this.wrong.length > before) high = middle;
      else low = middle;
    }
    return high;
  }
}

/** Whether a check ended because it was asked to. */
export const capacityCheckStopped = (error: unknown): boolean => error instanceof Stopped;
