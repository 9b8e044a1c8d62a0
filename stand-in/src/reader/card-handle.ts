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

/** An opened stand-in card with its faults. */
export class StandInHandle implements CardHandle {
  private readonly throttle = new Throttle();
  private pulled = false;

  constructor(
    private readonly file: DirectFile,
    private readonly card: StandInCard,
    private readonly rate: () => number,
    private readonly onClose: () => void,
  ) {}

  get size(): number {
    return this.file.size;
  }

  /** What the hand does that pulls the card. */
  pull(): void {
    this.pulled = true;
  }

  async write(block: Uint8Array, offset: number): Promise<void> {
    await this.use(offset, block.length);
    if (this.card.readOnly)
      throw new CardError('protected', 'The card is write-protected. Slide its lock to the other side.');
    const at = this.card.faults.wrongByteAt;
    if (at !== null && at >= offset && at < offset + block.length) {
      const spoilt = block.slice();
      spoilt[at - offset] = (spoilt[at - offset] ?? 0) ^ 0x10;
      await this.file.write(spoilt, offset);
    } else await this.file.write(block, offset);
    this.stillThere();
  }

  async read(into: Uint8Array, offset: number): Promise<void> {
    await this.use(offset, into.length);
    await this.file.read(into, offset);
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
    await this.throttle.wait(length, this.rate());
    this.stillThere();
    const dies = this.card.faults.diesAtByte;
    if (dies !== null && offset + length > dies)
      throw new CardError('io', `The card stopped working at byte ${String(dies)}. Throw it away.`);
  }

  private stillThere(): void {
    if (this.pulled) throw new CardError('pulled', goneMessage);
  }
}
