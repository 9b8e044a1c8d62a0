import type { ByteSource } from '../byte-source';
import { DiskError } from '../disk-error';

/**
 * Reads single files of an ext2, ext3 or ext4 file system. Layout: Linux kernel documentation, "ext4 Data Structures
 * and Algorithms" (superblock, block group descriptors, inodes, extents, directory entries).
 */

const SUPERBLOCK = 1024;
const MAGIC = 0xef53;
const ROOT_INODE = 2;
const EXTENTS = 0x80000;
const EXTENT_MAGIC = 0xf30a;
const INCOMPATIBLE_64BIT = 0x80;
/** Deepest extent tree that the documentation allows. */
const DEEPEST = 5;
/** Symbolic links that are followed for one path, as the kernel does it. */
const MOST_LINKS = 40;

interface Inode {
  mode: number;
  size: number;
  flags: number;
  /** 60 octets: extent tree, block map, or the target of a short link. */
  block: DataView;
}

const damaged = (): DiskError => new DiskError('damaged', 'The root file system is damaged.');

const decoder = new TextDecoder();

/** One ext file system, opened for reading. */
export class ExtVolume {
  private constructor(
    private readonly source: ByteSource,
    /** When it was written to last, milliseconds since 1970. */
    readonly writtenAt: number,
    private readonly blockSize: number,
    private readonly inodesPerGroup: number,
    private readonly inodeSize: number,
    private readonly descriptorSize: number,
    private readonly firstDataBlock: number,
  ) {}

  /** @throws DiskError when it is no ext file system */
  static async open(source: ByteSource): Promise<ExtVolume> {
    if (source.size < SUPERBLOCK * 2) throw new DiskError('missing', 'There is no ext file system here.');
    const bytes = await source.read(SUPERBLOCK, SUPERBLOCK);
    const view = new DataView(bytes.buffer, bytes.byteOffset, SUPERBLOCK);
    if (view.getUint16(0x38, true) !== MAGIC)
      throw new DiskError('missing', 'There is no ext file system here.');
    const logBlock = view.getUint32(0x18, true);
    const revision = view.getUint32(0x4c, true);
    const inodeSize = revision === 0 ? 128 : view.getUint16(0x58, true);
    const wide = (view.getUint32(0x60, true) & INCOMPATIBLE_64BIT) !== 0;
    const inodesPerGroup = view.getUint32(0x28, true);
    if (logBlock > 6 || inodeSize < 128 || inodesPerGroup === 0) throw damaged();
    const written = view.getUint32(0x30, true) || view.getUint32(0x108, true);
    return new ExtVolume(
      source,
      written * 1000,
      1024 << logBlock,
      inodesPerGroup,
      inodeSize,
      wide ? Math.max(32, view.getUint16(0xfe, true)) : 32,
      view.getUint32(0x14, true),
    );
  }

  /**
   * Beginning of a file; links are followed.
   * @param limit octets to read at most
   * @returns null when there is no such file
   * @throws DiskError when what leads to it is damaged
   */
  async readFile(path: string, limit = 1 << 16): Promise<Uint8Array | null> {
    const inode = await this.find(path);
    if (!inode || (inode.mode & 0xf000) !== 0x8000) return null;
    return this.content(inode, Math.min(limit, inode.size));
  }

  /** Names in a folder, links followed; none when there is no such folder. @throws DiskError as `readFile` */
  async list(path: string): Promise<string[]> {
    const number = await this.numberOf(path);
    if (number === null) return [];
    return (await this.entries(number))
      .map(({ name }) => name)
      .filter((name) => name !== '.' && name !== '..');
  }

  private async find(path: string): Promise<Inode | null> {
    const number = await this.numberOf(path);
    return number === null ? null : this.inode(number);
  }

  private async numberOf(path: string): Promise<number | null> {
    let parts = path.split('/').filter((part) => part !== '');
    let links = 0;
    let number = ROOT_INODE;
    const trail: number[] = [];
    for (let at = 0; at < parts.length; at++) {
      const name = parts[at] ?? '';
      if (name === '.') continue;
      if (name === '..') {
        number = trail.pop() ?? ROOT_INODE;
        continue;
      }
      const next = await this.lookUp(number, name);
      if (next === null) return null;
      const inode = await this.inode(next);
      if ((inode.mode & 0xf000) === 0xa000) {
        if (++links > MOST_LINKS) throw damaged();
        const target = await this.linkTarget(inode);
        parts = [...target.split('/').filter((part) => part !== ''), ...parts.slice(at + 1)];
        if (target.startsWith('/')) {
          number = ROOT_INODE;
          trail.length = 0;
        }
        at = -1;
        continue;
      }
      trail.push(number);
      number = next;
    }
    return number;
  }

  private async linkTarget(inode: Inode): Promise<string> {
    const bytes =
      inode.size < 60
        ? new Uint8Array(inode.block.buffer, inode.block.byteOffset, inode.size)
        : await this.content(inode, Math.min(inode.size, 4096));
    return new TextDecoder().decode(bytes);
  }

  /** Names in a folder with the numbers of their inodes; deleted entries left out. */
  private async entries(folder: number): Promise<{ name: string; number: number }[]> {
    const inode = await this.inode(folder);
    if ((inode.mode & 0xf000) !== 0x4000) return [];
    const bytes = await this.content(inode, Math.min(inode.size, 4 << 20));
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
    const found: { name: string; number: number }[] = [];
    for (let at = 0; at + 8 <= bytes.length;) {
      const number = view.getUint32(at, true);
      const length = view.getUint16(at + 4, true);
      if (length < 8) throw damaged();
      const name = decoder.decode(bytes.subarray(at + 8, at + 8 + view.getUint8(at + 6)));
      if (number !== 0 && name !== '') found.push({ name, number });
      at += length;
    }
    return found;
  }

  private async lookUp(folder: number, name: string): Promise<number | null> {
    return (await this.entries(folder)).find((entry) => entry.name === name)?.number ?? null;
  }

  private async inode(number: number): Promise<Inode> {
    const group = Math.floor((number - 1) / this.inodesPerGroup);
    const table = await this.read(
      (this.firstDataBlock + 1) * this.blockSize + group * this.descriptorSize,
      this.descriptorSize,
    );
    const low = table.getUint32(8, true);
    const high = this.descriptorSize >= 64 ? table.getUint32(0x28, true) : 0;
    const start = (high * 2 ** 32 + low) * this.blockSize;
    const view = await this.read(start + ((number - 1) % this.inodesPerGroup) * this.inodeSize, 128);
    return {
      mode: view.getUint16(0, true),
      size: view.getUint32(4, true) + (view.getUint32(0x6c, true) & 0x7fffffff) * 2 ** 32,
      flags: view.getUint32(0x20, true),
      block: new DataView(view.buffer, view.byteOffset + 0x28, 60),
    };
  }

  private async read(offset: number, length: number): Promise<DataView> {
    if (offset + length > this.source.size) throw damaged();
    const bytes = await this.source.read(offset, length);
    return new DataView(bytes.buffer, bytes.byteOffset, length);
  }

  private async content(inode: Inode, length: number): Promise<Uint8Array> {
    const bytes = new Uint8Array(length);
    for (let block = 0; block * this.blockSize < length; block++) {
      const place =
        inode.flags & EXTENTS
          ? await this.inExtents(inode.block, block)
          : await this.inMap(inode.block, block);
      const at = block * this.blockSize;
      const count = Math.min(this.blockSize, length - at);
      // A hole reads as zeros.
      if (place === 0) continue;
      const view = await this.read(place * this.blockSize, count);
      bytes.set(new Uint8Array(view.buffer, view.byteOffset, count), at);
    }
    return bytes;
  }

  private async inExtents(node: DataView, block: number, depthLeft = DEEPEST): Promise<number> {
    if (node.getUint16(0, true) !== EXTENT_MAGIC || depthLeft < 0) throw damaged();
    const entries = node.getUint16(2, true);
    const depth = node.getUint16(6, true);
    if (12 + entries * 12 > node.byteLength) throw damaged();
    let child = 0;
    for (let at = 12; at < 12 + entries * 12; at += 12) {
      const first = node.getUint32(at, true);
      if (depth === 0) {
        // Lengths above 32768 mean that the extent was not written yet and reads as zeros.
        const length = node.getUint16(at + 4, true);
        const start = node.getUint16(at + 6, true) * 2 ** 32 + node.getUint32(at + 8, true);
        if (length <= 32768 && block >= first && block < first + length) return start + block - first;
      } else if (block >= first)
        child = node.getUint16(at + 8, true) * 2 ** 32 + node.getUint32(at + 4, true);
    }
    return depth === 0 || child === 0
      ? 0
      : this.inExtents(await this.read(child * this.blockSize, this.blockSize), block, depthLeft - 1);
  }

  /** Block maps of ext2 and ext3: twelve direct blocks, then one, two and three levels of indirection. */
  private async inMap(map: DataView, block: number): Promise<number> {
    if (block < 12) return map.getUint32(block * 4, true);
    const each = this.blockSize / 4;
    let left = block - 12;
    for (let level = 1; level <= 3; level++) {
      const span = each ** level;
      if (left >= span) {
        left -= span;
        continue;
      }
      let place = map.getUint32((11 + level) * 4, true);
      for (let below = level - 1; below >= 0 && place !== 0; below--) {
        const entry = Math.floor(left / each ** below) % each;
        place = (await this.read(place * this.blockSize + entry * 4, 4)).getUint32(0, true);
      }
      return place;
    }
    throw damaged();
  }
}
