/** Something with octets at offsets: an image file, a block device, a partition of one, a file in the browser. */
export interface ByteSource {
  /** Size in octets. */
  readonly size: number;
  /**
   * Reads octets; the result may be shared and must not be written to.
   * @throws RangeError when the range reaches beyond the end
   */
  read(offset: number, length: number): Promise<Uint8Array>;
}

/** Throws a RangeError when a range does not lie within a size. */
export function checkRange(size: number, offset: number, length: number): void {
  if (!Number.isSafeInteger(offset) || offset < 0 || length < 0 || offset + length > size)
    throw new RangeError(
      `bytes ${String(offset)} to ${String(offset + length)} are outside a source of ${String(size)} bytes`,
    );
}

/** Octets in memory as a source. */
export class MemorySource implements ByteSource {
  constructor(private readonly bytes: Uint8Array) {}

  get size(): number {
    return this.bytes.length;
  }

  read(offset: number, length: number): Promise<Uint8Array> {
    checkRange(this.size, offset, length);
    return Promise.resolve(this.bytes.subarray(offset, offset + length));
  }
}

/** A part of another source, for instance one partition of an image. */
export class SliceSource implements ByteSource {
  constructor(
    private readonly base: ByteSource,
    private readonly start: number,
    readonly size: number,
  ) {}

  read(offset: number, length: number): Promise<Uint8Array> {
    checkRange(this.size, offset, length);
    return this.base.read(this.start + offset, length);
  }
}
