/** Alignment that direct input and output asks of buffers: a page. */
export const PAGE = 4096;
const wasmPage = 65_536;

/** A block that several cards read from; it goes back to the pool when the last one lets go. */
export interface PooledBlock {
  /** The whole block; `length` octets of it are in use. */
  readonly bytes: Uint8Array;
  length: number;
  retain(): void;
  release(): void;
}

/**
 * A bounded number of page-aligned blocks. Node's buffers are aligned only by luck; a WebAssembly memory starts
 * on a page, which direct input and output needs.
 */
export class BlockPool {
  private readonly free: Uint8Array[] = [];
  private readonly waiting: ((bytes: Uint8Array) => void)[] = [];

  /** @param blockSize octets, a multiple of the page size */
  constructor(
    readonly blockSize: number,
    count: number,
  ) {
    if (blockSize % PAGE !== 0 || count < 1)
      throw new RangeError('blocks must be whole pages, and at least one');
    const pages = Math.ceil((blockSize * count) / wasmPage);
    const { buffer } = new WebAssembly.Memory({ initial: pages, maximum: pages, shared: true });
    for (let at = 0; at < count; at++) this.free.push(new Uint8Array(buffer, at * blockSize, blockSize));
  }

  /** A block of one's own; waits until one is free. */
  async take(): Promise<PooledBlock> {
    const bytes = this.free.pop() ?? (await new Promise<Uint8Array>((resolve) => this.waiting.push(resolve)));
    let holders = 1;
    return {
      bytes,
      length: this.blockSize,
      retain: () => {
        holders++;
      },
      release: () => {
        if (--holders > 0) return;
        const next = this.waiting.shift();
        if (next) next(bytes);
        else this.free.push(bytes);
      },
    };
  }
}
