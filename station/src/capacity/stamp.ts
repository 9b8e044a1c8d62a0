/** Octets of one stamp. */
export const STAMP = 64 << 10;
const SECTOR = 512;
const WORDS = SECTOR / 4;
/** First two words of every sector of a stamp. */
const MAGIC_1 = 0x4e_65_73_74;
const MAGIC_2 = 0x70_72_6f_76;
const HEAD = 6;

/** Where a stamp was meant to be that lies at another place. */
export interface StampFound {
  /** Octets from the start of what was read. */
  at: number;
  /** The offset that was written into it. */
  meantFor: number;
}

const words = (bytes: Uint8Array): Uint32Array =>
  new Uint32Array(bytes.buffer, bytes.byteOffset, bytes.length / 4);

/**
 * Stamps that tell their own place, sector by sector: no two are alike, and none can be left from an earlier check.
 * The noise behind the head is a xorshift sequence (G. Marsaglia, "Xorshift RNGs", 2003): it must differ, not be secret.
 */
export class Stamps {
  /** @param nonce two random words of 32 bits */
  constructor(private readonly nonce: readonly [number, number]) {}

  /** Fills `into` with the stamps from `offset` on; both are whole sectors, `into` begins on four octets. */
  write(into: Uint8Array, offset: number): void {
    const target = words(into);
    const [first, second] = this.nonce;
    for (let at = 0; at < target.length; at += WORDS) {
      const place = offset + at * 4;
      const low = place >>> 0;
      const high = Math.floor(place / 2 ** 32);
      target[at] = MAGIC_1;
      target[at + 1] = MAGIC_2;
      target[at + 2] = first;
      target[at + 3] = second;
      target[at + 4] = low;
      target[at + 5] = high;
      let state = (low ^ Math.imul(high + 1, 0x9e3779b1) ^ first) | 1;
      for (let word = HEAD; word < WORDS; word++) {
        state ^= state << 13;
        state ^= state >>> 17;
        state ^= state << 5;
        target[at + word] = state;
      }
    }
  }

  /** A sector of this check among octets, or null when there is none; the first one counts. */
  find(bytes: Uint8Array): StampFound | null {
    const [first, second] = this.nonce;
    const source = words(bytes);
    for (let at = 0; at + WORDS <= source.length; at += WORDS)
      if (source[at] === MAGIC_1 && source[at + 1] === MAGIC_2)
        if (source[at + 2] === first >>> 0 && source[at + 3] === second >>> 0)
          return { at: at * 4, meantFor: (source[at + 5] ?? 0) * 2 ** 32 + (source[at + 4] ?? 0) };
    return null;
  }
}
