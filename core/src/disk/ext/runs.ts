import { crc32c } from '../crc32c';
import type { Inode } from './inode';
import { damaged } from './superblock';

/** Blocks of a file that follow one another on the disk. What no run names is a hole and reads as zeros. */
export interface Run {
  /** Number of the first block within the file. */
  first: number;
  /** Number of that block on the disk. */
  place: number;
  count: number;
}

export type ReadBlock = (place: number) => Promise<DataView>;

const EXTENT_MAGIC = 0xf30a;
/** Deepest tree that the documentation allows. */
const DEEPEST = 5;
/** Longer ones are set aside but not written yet; they read as zeros. */
const LONGEST = 32768;

/** Extents from a node of the tree, in order, up to a block of the file. */
async function* extents(
  node: DataView,
  until: number,
  read: ReadBlock,
  depth: number | null,
): AsyncGenerator<Run> {
  const entries = node.getUint16(2, true);
  const below = node.getUint16(6, true);
  // A node lies exactly one level below the one that leads to it, so no tree goes round in circles.
  if (node.getUint16(0, true) !== EXTENT_MAGIC || below !== (depth ?? below) || below > DEEPEST)
    throw damaged();
  if (12 + entries * 12 > node.byteLength) throw damaged();
  let next = -1;
  for (let at = 12; at < 12 + entries * 12; at += 12) {
    const first = node.getUint32(at, true);
    if (first <= next) throw damaged();
    next = first;
    if (first >= until) return;
    if (below > 0) {
      const child = node.getUint16(at + 8, true) * 2 ** 32 + node.getUint32(at + 4, true);
      yield* extents(await read(child), until, read, below - 1);
      continue;
    }
    const count = node.getUint16(at + 4, true);
    const place = node.getUint16(at + 6, true) * 2 ** 32 + node.getUint32(at + 8, true);
    if (count <= LONGEST) yield { first, place, count: Math.min(count, until - first) };
  }
}

/** A node in a block of its own carries a checksum behind its last possible entry. */
const checkedNode =
  (read: ReadBlock, seed: number | null): ReadBlock =>
  async (place) => {
    const node = await read(place);
    if (seed === null) return node;
    const tail = 12 + 12 * node.getUint16(4, true);
    if (tail + 4 > node.byteLength) throw damaged();
    const bytes = new Uint8Array(node.buffer, node.byteOffset, tail);
    if (node.getUint32(tail, true) !== crc32c(seed, bytes)) throw damaged();
    return node;
  };

/** Block maps of ext2 and ext3: twelve direct blocks, then one, two and three levels of indirection. */
async function* mapped(
  map: DataView,
  until: number,
  blockSize: number,
  read: ReadBlock,
): AsyncGenerator<Run> {
  const each = blockSize / 4;
  for (let block = 0; block < Math.min(12, until); block++)
    yield { first: block, place: map.getUint32(block * 4, true), count: 1 };

  async function* below(place: number, first: number, level: number): AsyncGenerator<Run> {
    if (place === 0) return;
    const list = await read(place);
    const span = each ** (level - 1);
    for (let at = 0; at < each && first + at * span < until; at++) {
      const entry = list.getUint32(at * 4, true);
      if (level === 1) yield { first: first + at, place: entry, count: 1 };
      else yield* below(entry, first + at * span, level - 1);
    }
  }

  let first = 12;
  for (let level = 1; level <= 3 && first < until; level++) {
    yield* below(map.getUint32((11 + level) * 4, true), first, level);
    first += each ** level;
  }
}

/**
 * Where the first blocks of a file lie, joined to long runs.
 * @param until number of blocks that are wanted
 * @throws DiskError when what tells it is damaged
 */
export async function runsOf(
  inode: Inode,
  until: number,
  blockSize: number,
  read: ReadBlock,
): Promise<Run[]> {
  const runs: Run[] = [];
  const found = inode.extents
    ? extents(inode.block, until, checkedNode(read, inode.seed), null)
    : mapped(inode.block, until, blockSize, read);
  let next = 0;
  for await (const run of found) {
    if (run.place === 0) continue;
    if (run.first < next) throw damaged();
    next = run.first + run.count;
    const last = runs.at(-1);
    if (last && last.first + last.count === run.first && last.place + last.count === run.place)
      last.count += run.count;
    else runs.push(run);
  }
  return runs;
}
