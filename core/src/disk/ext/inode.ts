import { crc32c } from '../crc32c';
import { damaged } from './superblock';

const INLINE_DATA = 0x10000000;
const EXTENTS = 0x80000;
const ENCRYPTED = 0x800;
const ATTRIBUTES_MAGIC = 0xea020000;
/** Index of names that begin with `system.`. */
const SYSTEM_NAMES = 7;
/** Octets of the inode that every revision has. */
const OLD_SIZE = 128;

export type FileKind = 'file' | 'folder' | 'link' | 'other';

/** A file, a folder or a link as its inode tells. */
export interface Inode {
  kind: FileKind;
  /** Permission bits. */
  mode: number;
  /** Numbers of the owner and of the group. */
  owner: number;
  group: number;
  size: number;
  encrypted: boolean;
  /** Whether `block` is the root of an extent tree; else a block map, or the target of a short link. */
  extents: boolean;
  /** 60 octets. */
  block: DataView;
  /** Content that lies in the inode itself; null where blocks hold it. */
  inline: Uint8Array | null;
  /** Beginning of the checksums of what belongs to it; null where the file system has none. */
  seed: number | null;
}

const kinds: Record<number, FileKind> = { 0x8000: 'file', 0x4000: 'folder', 0xa000: 'link' };

/** Value of the attribute `system.data` in the inode's own room, where inline content goes on; empty when absent. */
function dataAttribute(bytes: Uint8Array, view: DataView, extra: number): Uint8Array {
  const start = OLD_SIZE + extra + 4;
  if (start + 16 > bytes.length || view.getUint32(start - 4, true) !== ATTRIBUTES_MAGIC)
    return new Uint8Array();
  for (let at = start; at + 16 <= bytes.length && view.getUint32(at, true) !== 0;) {
    const nameLength = view.getUint8(at);
    const name = new TextDecoder().decode(bytes.subarray(at + 16, at + 16 + nameLength));
    if (view.getUint8(at + 1) === SYSTEM_NAMES && name === 'data') {
      const from = start + view.getUint16(at + 2, true);
      const size = view.getUint32(at + 8, true);
      if (from + size > bytes.length) throw damaged();
      return bytes.subarray(from, from + size);
    }
    at += 16 + Math.ceil(nameLength / 4) * 4;
  }
  return new Uint8Array();
}

function checkSum(bytes: Uint8Array, view: DataView, seed: number, extra: number): void {
  const wide = extra >= 4;
  const copy = new Uint8Array(bytes);
  copy.fill(0, 0x7c, 0x7e);
  if (wide) copy.fill(0, 0x82, 0x84);
  const found = crc32c(seed, copy);
  const kept = view.getUint16(0x7c, true) + (wide ? view.getUint16(0x82, true) * 0x10000 : 0);
  if (kept !== (wide ? found : found & 0xffff)) throw damaged();
}

const word = (value: number): Uint8Array => {
  const bytes = new Uint8Array(4);
  new DataView(bytes.buffer).setUint32(0, value, true);
  return bytes;
};

/**
 * @param bytes the whole inode
 * @param seed of the file system's checksums, or null when it has none
 * @throws DiskError when it is damaged
 */
export function parseInode(bytes: Uint8Array, number: number, seed: number | null): Inode {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  const extra = bytes.length > OLD_SIZE ? view.getUint16(OLD_SIZE, true) : 0;
  const own = seed === null ? null : crc32c(crc32c(seed, word(number)), bytes.subarray(0x64, 0x68));
  if (own !== null) checkSum(bytes, view, own, extra);
  const type = view.getUint16(0, true);
  const flags = view.getUint32(0x20, true);
  const size = view.getUint32(4, true) + (view.getUint32(0x6c, true) & 0x7fffffff) * 2 ** 32;
  const block = bytes.subarray(0x28, 0x28 + 60);
  const kind = kinds[type & 0xf000] ?? 'other';
  const inline =
    flags & INLINE_DATA
      ? new Uint8Array([...block, ...dataAttribute(bytes, view, extra)])
      : // A short target stands where the numbers of blocks would.
        kind === 'link' && size < 60 && !(flags & EXTENTS)
        ? block
        : null;
  return {
    kind,
    mode: type & 0xfff,
    owner: view.getUint16(2, true) + view.getUint16(0x78, true) * 0x10000,
    group: view.getUint16(0x18, true) + view.getUint16(0x7a, true) * 0x10000,
    size,
    encrypted: (flags & ENCRYPTED) !== 0,
    extents: (flags & EXTENTS) !== 0,
    block: new DataView(bytes.buffer, bytes.byteOffset + 0x28, 60),
    inline,
    seed: own,
  };
}
