import { checkRange, type ByteSource } from './byte-source';

/** Octets that replace those of a base from an offset on. */
export interface Patch {
  offset: number;
  bytes: Uint8Array;
}

/** A source that can be written to as well. */
export interface WritableSource extends ByteSource {
  write(offset: number, bytes: Uint8Array): Promise<void>;
}

const sector = 512;

/** A source with writes kept apart as sector patches; the base is never changed. */
export class Overlay implements WritableSource {
  private readonly sectors = new Map<number, Uint8Array>();

  constructor(private readonly base: ByteSource) {
    if (base.size % sector !== 0) throw new RangeError('an overlay needs a base of whole 512-byte sectors');
  }

  get size(): number {
    return this.base.size;
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const bytes = await this.base.read(offset, length);
    if (this.sectors.size === 0) return bytes;
    const from = Math.floor(offset / sector);
    const to = Math.ceil((offset + length) / sector);
    let copy: Uint8Array | null = null;
    for (let index = from; index < to; index++) {
      const changed = this.sectors.get(index);
      if (!changed) continue;
      copy ??= bytes.slice();
      const start = index * sector - offset;
      const cut = Math.max(0, -start);
      copy.set(changed.subarray(cut, Math.min(sector, length - start)), start + cut);
    }
    return copy ?? bytes;
  }

  async write(offset: number, bytes: Uint8Array): Promise<void> {
    checkRange(this.size, offset, bytes.length);
    for (let at = 0; at < bytes.length;) {
      const index = Math.floor((offset + at) / sector);
      const within = offset + at - index * sector;
      const part = bytes.subarray(at, at + sector - within);
      let target = this.sectors.get(index);
      if (!target) {
        // A sector that is written whole needs no look at the base.
        target =
          part.length === sector
            ? new Uint8Array(sector)
            : (await this.base.read(index * sector, sector)).slice();
        this.sectors.set(index, target);
      }
      target.set(part, within);
      at += part.length;
    }
  }

  /** All changes as patches of whole sectors, sorted, neighbours joined. */
  patches(): Patch[] {
    const indexes = [...this.sectors.keys()].sort((a, b) => a - b);
    const patches: Patch[] = [];
    for (let at = 0; at < indexes.length;) {
      const first = indexes[at] ?? 0;
      let count = 1;
      while (indexes[at + count] === first + count) count++;
      const bytes = new Uint8Array(count * sector);
      for (let run = 0; run < count; run++)
        bytes.set(this.sectors.get(first + run) ?? new Uint8Array(sector), run * sector);
      patches.push({ offset: first * sector, bytes });
      at += count;
    }
    return patches;
  }
}

/** The same patches further on, for instance from a partition to its disk. */
export const shiftPatches = (patches: readonly Patch[], by: number): Patch[] =>
  patches.map((patch) => ({ offset: patch.offset + by, bytes: patch.bytes }));

/**
 * Lays patches over a block in place.
 * @param at offset of the block on the disk
 * @returns whether anything was changed
 */
export function applyPatches(block: Uint8Array, at: number, patches: readonly Patch[]): boolean {
  let touched = false;
  for (const patch of patches) {
    const from = Math.max(at, patch.offset);
    const to = Math.min(at + block.length, patch.offset + patch.bytes.length);
    if (from >= to) continue;
    block.set(patch.bytes.subarray(from - patch.offset, to - patch.offset), from - at);
    touched = true;
  }
  return touched;
}

/** Whether any patch lies within a range of the disk. */
export const touches = (patches: readonly Patch[], at: number, length: number): boolean =>
  patches.some((patch) => patch.offset < at + length && patch.offset + patch.bytes.length > at);
