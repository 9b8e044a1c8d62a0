import type { DirectFile } from '@nest-mark/station/files';
import { CardError, type CardHandle } from '@nest-mark/station/ports';
import type { StandInCard } from '../state';

const goneMessage = 'The card was pulled out while it was in use. Put it back and write it again.';

/** How far a slot may catch up after a timer that came late, in milliseconds. */
const credit = 500;

/** Limits a slot's octets per second, as a reader does. */
class Throttle {
  private freeAt = performance.now();

  async wait(bytes: number, rate: number): Promise<void> {
    if (rate <= 0) return;
    const now = performance.now();
    this.freeAt = Math.max(this.freeAt, now - credit) + (bytes / rate) * 1000;
    const pause = this.freeAt - now;
    if (pause > 1) await new Promise((resolve) => setTimeout(resolve, pause));
  }
}

/** A stretch of a request and where it lands on the medium; null for nowhere. */
interface Landing {
  from: number;
  to: number;
  at: number | null;
}

/** An opened stand-in card with its faults. */
export class StandInHandle implements CardHandle {
  private readonly throttle = new Throttle();
  private pulled = false;
  private wasLate = false;

  /**
   * @param rate octets per second that the slot takes, 0 for no limit
   * @param onContactLost called when the card is pulled and put back by itself
   */
  constructor(
    private readonly file: DirectFile,
    private readonly card: StandInCard,
    private readonly rate: () => number,
    private readonly onContactLost: () => void,
    private readonly onClose: () => void,
  ) {}

  get size(): number {
    return this.file.size;
  }

  get pastCache(): boolean {
    return this.file.pastCache;
  }

  /** What the hand does that pulls the card. */
  pull(): void {
    this.pulled = true;
  }

  async write(block: Uint8Array, offset: number): Promise<void> {
    await this.use(offset, block.length);
    const { wrongByteAt, losesContactAt, locked } = this.card.faults;
    if (this.card.readOnly || locked)
      throw new CardError('protected', 'The card is write-protected. Slide its lock to the other side.');
    if (covers(losesContactAt, offset, block.length)) {
      // Half of the block arrives, as when the card is pulled in the middle.
      const half = Math.floor(block.length / 8192) * 4096;
      if (half > 0) await this.file.write(block.subarray(0, half), offset);
      this.pulled = true;
      this.onContactLost();
      this.stillThere();
    }
    let content = block;
    if (wrongByteAt !== null && covers(wrongByteAt, offset, block.length)) {
      content = block.slice();
      content[wrongByteAt - offset] = (content[wrongByteAt - offset] ?? 0) ^ 0x10;
    }
    for (const { from, to, at } of this.landings(offset, block.length))
      if (at !== null)
        await this.file.write(from === 0 && to === content.length ? content : content.subarray(from, to), at);
    this.stillThere();
  }

  async read(into: Uint8Array, offset: number): Promise<void> {
    await this.use(offset, into.length);
    for (const { from, to, at } of this.landings(offset, into.length))
      if (at === null) into.fill(0, from, to);
      else await this.file.read(from === 0 && to === into.length ? into : into.subarray(from, to), at);
    this.stillThere();
  }

  async flush(): Promise<void> {
    this.stillThere();
    await this.file.flush();
  }

  async close(): Promise<void> {
    await this.file.close();
    this.onClose();
  }

  private async use(offset: number, length: number): Promise<void> {
    this.stillThere();
    const { diesAtByte, rate, late } = this.card.faults;
    const slot = this.rate();
    await this.throttle.wait(length, rate === null ? slot : slot > 0 ? Math.min(rate, slot) : rate);
    if (late && !this.wasLate && covers(late.at, offset, length)) {
      this.wasLate = true;
      await new Promise((resolve) => setTimeout(resolve, late.seconds * 1000));
    }
    this.stillThere();
    if (diesAtByte !== null && offset + length > diesAtByte)
      throw new CardError('io', `The card stopped working at byte ${String(diesAtByte)}. Throw it away.`);
  }

  /** Where a request lands on a card that may hold less than it says. */
  private landings(offset: number, length: number): Landing[] {
    const { lies } = this.card.faults;
    if (!lies || offset + length <= lies.realSize) return [{ from: 0, to: length, at: offset }];
    const found: Landing[] = [];
    for (let from = 0; from < length;) {
      const at = (offset + from) % lies.realSize;
      const to = Math.min(length, from + lies.realSize - at);
      found.push({ from, to, at: offset + from >= lies.realSize && lies.beyond === 'loses' ? null : at });
      from = to;
    }
    return found;
  }

  private stillThere(): void {
    if (this.pulled) throw new CardError('pulled', goneMessage);
  }
}

const covers = (place: number | null, offset: number, length: number): place is number =>
  place !== null && place >= offset && place < offset + length;
