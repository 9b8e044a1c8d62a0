import type { FileHandle } from 'node:fs/promises';
import { checkRange, type ByteSource } from '@nest-mark/core/disk';
import { openPlainFile } from './plain-file';
import { readFully } from './read-fully';

/** A file as a source of octets. Close it after use. */
export class FileSource implements ByteSource {
  private constructor(
    private readonly file: FileHandle,
    readonly size: number,
  ) {}

  /** @throws ImageError when there is no plain file at the path */
  static async open(path: string): Promise<FileSource> {
    const file = await openPlainFile(path);
    return new FileSource(file, (await file.stat()).size);
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    checkRange(this.size, offset, length);
    const bytes = new Uint8Array(length);
    await readFully(this.file, bytes, offset);
    return bytes;
  }

  close(): Promise<void> {
    return this.file.close();
  }
}
