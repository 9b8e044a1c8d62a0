import { crc32c } from '../crc32c';
import type { Inode } from './inode';
import { damaged } from './superblock';

/** A name in a folder and the number of the inode that it stands for. */
export interface FolderEntry {
  name: string;
  number: number;
}

const decoder = new TextDecoder();
/** Mark of the entry at a block's end that holds its checksum. */
const CHECKSUM_ENTRY = 0xde;

/** Entries of up to 64 KiB have their length in the two lowest bits and the rest. */
function lengthOf(kept: number, room: number): number {
  if (kept === 0 || kept === 0xffff) return room;
  return (kept & 0xfffc) | ((kept & 3) << 16);
}

/** Entries of one block; deleted ones and the inner nodes of an indexed folder look like room that is free. */
function inBlock(bytes: Uint8Array, into: FolderEntry[]): void {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  for (let at = 0; at + 8 <= bytes.length;) {
    const number = view.getUint32(at, true);
    const length = lengthOf(view.getUint16(at + 4, true), bytes.length);
    const nameLength = view.getUint8(at + 6);
    if (length < 8 || at + length > bytes.length || 8 + nameLength > length) throw damaged();
    const name = decoder.decode(bytes.subarray(at + 8, at + 8 + nameLength));
    if (number !== 0 && name !== '') into.push({ name, number });
    at += length;
  }
}

function checkBlock(bytes: Uint8Array, seed: number): void {
  const tail = bytes.length - 12;
  const view = new DataView(bytes.buffer, bytes.byteOffset + tail, 12);
  // Inner nodes of an indexed folder have no such entry.
  if (view.getUint32(0, true) !== 0 || view.getUint16(4, true) !== 12 || view.getUint8(7) !== CHECKSUM_ENTRY)
    return;
  if (view.getUint32(8, true) !== crc32c(seed, bytes.subarray(0, tail))) throw damaged();
}

/**
 * Entries of a folder, `.` and `..` among them where it names them.
 * @param content all of it
 * @throws DiskError when it is damaged
 */
export function folderEntries(inode: Inode, content: Uint8Array, blockSize: number): FolderEntry[] {
  const found: FolderEntry[] = [];
  if (inode.inline) {
    // The number of the parent, then entries in what is left of the 60 octets, then those of the attribute.
    inBlock(content.subarray(4, 60), found);
    if (content.length > 60) inBlock(content.subarray(60), found);
    return found;
  }
  for (let at = 0; at < content.length; at += blockSize) {
    const block = content.subarray(at, at + blockSize);
    if (inode.seed !== null && block.length === blockSize) checkBlock(block, inode.seed);
    inBlock(block, found);
  }
  return found;
}
