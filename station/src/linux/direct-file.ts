import { constants } from 'node:fs';
import { open, type FileHandle } from 'node:fs/promises';
import { readFully } from '../image/read-fully';
import { BlockPool, PAGE } from '../writer/block-pool';

/**
 * A file or block device that is read and written past the page cache (O_DIRECT, open(2)) where the file system
 * allows it, so that reading back asks the medium and not the memory.
 */
export class DirectFile {
  private scratch: Uint8Array | null = null;

  private constructor(
    private readonly plain: FileHandle,
    private readonly direct: FileHandle | null,
    readonly size: number,
  ) {}

  /** Opens for reading only. @param size as for `open` */
  static async openToRead(path: string, size: number): Promise<DirectFile> {
    const flags = constants.O_RDONLY | constants.O_NOFOLLOW | constants.O_NONBLOCK;
    const plain = await open(path, flags);
    const direct = await open(path, flags | constants.O_DIRECT).catch(() => null);
    return new DirectFile(plain, direct, size);
  }

  /**
   * @param size octets of the medium; a block device's file status does not tell it
   * @param flags further flags of open(2) for the first opening, above all O_EXCL for a block device
   */
  static async open(path: string, size: number, flags = 0): Promise<DirectFile> {
    const plain = await open(path, constants.O_RDWR | flags);
    // Not every file system knows direct access (EINVAL); reading back is then only as good as its cache.
    const direct = await open(path, constants.O_RDWR | constants.O_DIRECT).catch(() => null);
    return new DirectFile(plain, direct, size);
  }

  /** Whether reading goes past the page cache. */
  get pastCache(): boolean {
    return this.direct !== null;
  }

  async write(block: Uint8Array, offset: number): Promise<void> {
    const file = this.direct && onPage(block) && offset % PAGE === 0 ? this.direct : this.plain;
    for (let at = 0; at < block.length;) {
      const { bytesWritten } = await file.write(block, at, block.length - at, offset + at);
      at += bytesWritten;
    }
    if (file === this.plain) await this.plain.datasync();
  }

  async read(into: Uint8Array, offset: number): Promise<void> {
    const whole = Math.ceil(into.length / PAGE) * PAGE;
    if (!this.direct || offset % PAGE !== 0 || offset + whole > Math.ceil(this.size / PAGE) * PAGE)
      return readFully(this.plain, into, offset);
    if (onPage(into)) return readFully(this.direct, into, offset);
    // The image's tail is no whole page, or the buffer is not on one: read pages and take their beginning.
    if (!this.scratch || this.scratch.length < whole)
      this.scratch = (await new BlockPool(whole, 1).take()).bytes;
    await readFully(this.direct, this.scratch.subarray(0, whole), offset, into.length);
    into.set(this.scratch.subarray(0, into.length));
  }

  flush(): Promise<void> {
    return this.plain.sync();
  }

  async close(): Promise<void> {
    await this.direct?.close();
    await this.plain.close();
  }
}

/** Whether a buffer is made of whole pages; only memory of the block pool is known to start on one. */
const onPage = (bytes: Uint8Array): boolean =>
  bytes.buffer instanceof SharedArrayBuffer && bytes.byteOffset % PAGE === 0 && bytes.length % PAGE === 0;
