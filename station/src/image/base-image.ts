import { open, type FileHandle } from 'node:fs/promises';

/** The image that the cards of a gang get, readable from any of its blocks. */
export interface BaseImage {
  /** Unpacked size in octets. */
  size: number;
  /** Octets in a block; the last one may be shorter. */
  blockSize: number;
  /** Digests of its blocks, taken when it was shelved. */
  blockDigests: readonly string[];
  open(): Promise<BlockReader>;
}

/** One reading of an image. */
export interface BlockReader {
  /** Fills `into` with the octets from `offset` on. Going forward is quick, going back may mean to begin anew. */
  read(into: Uint8Array, offset: number): Promise<void>;
  close(): Promise<void>;
}

/** Reads an unpacked image file. @throws when it became shorter */
export async function openRaw(path: string): Promise<BlockReader> {
  const file: FileHandle = await open(path, 'r');
  return {
    async read(into, offset) {
      for (let at = 0; at < into.length;) {
        const { bytesRead } = await file.read(into, at, into.length - at, offset + at);
        if (bytesRead === 0) throw new Error('The image on the shelf became shorter than it was.');
        at += bytesRead;
      }
    },
    close: () => file.close(),
  };
}
