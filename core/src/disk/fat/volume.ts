import { DiskError } from '../disk-error';
import type { ByteSource } from '../byte-source';
import type { WritableSource } from '../overlay';
import { concatBytes } from '../../bytes';
import { FIXED_TIME, SLOT, freeRun, readEntries, shortSlot, type FatEntry, type FatTime } from './directory';
import { readGeometry, type FatGeometry } from './geometry';
import { exactShortName, longNameSlots, shortNameFor } from './names';
import { FatTable } from './table';

interface Extent {
  offset: number;
  size: number;
}

interface Folder {
  extents: Extent[];
  /** Clusters of the folder; none for the fixed root of FAT12 and FAT16. */
  clusters: number[];
  bytes: Uint8Array;
}

/** Octets of a file that are read unless more is asked for. */
const LARGEST_READ = 64 << 20;
/** Octets of a folder, at most (Microsoft FAT specification 1.03, page 23: 65,536 entries of 32 octets). */
const LARGEST_FOLDER = 2 << 20;

const sameName = (a: string, b: string): boolean => a.toLowerCase() === b.toLowerCase();

/** A FAT12, FAT16 or FAT32 volume: lists and reads files, creates and replaces them. */
export class FatVolume {
  private readonly table: FatTable;

  private constructor(
    private readonly source: WritableSource,
    readonly geometry: FatGeometry,
  ) {
    this.table = new FatTable(source, geometry);
  }

  /** Opens a volume that can be written to. @throws DiskError when it is none or damaged */
  static async open(source: WritableSource): Promise<FatVolume> {
    return new FatVolume(source, await readGeometry(source));
  }

  /** Opens a volume for reading only. @throws DiskError as `open` */
  static async openReadOnly(source: ByteSource): Promise<FatVolume> {
    const refuse = (): Promise<void> =>
      Promise.reject(new DiskError('unsupported', 'This volume is open for reading only.'));
    return FatVolume.open({
      size: source.size,
      read: (offset, length) => source.read(offset, length),
      write: refuse,
    });
  }

  /** Files and folders in a folder; `''` is the root. @throws DiskError when the folder is missing */
  async list(path = ''): Promise<FatEntry[]> {
    const entries = readEntries((await this.folder(path)).bytes);
    return entries.filter((entry) => entry.name !== '.' && entry.name !== '..');
  }

  get label(): string {
    return this.geometry.label;
  }

  /**
   * Content of a file, or null when there is none of that name (case does not count).
   * @param limit octets to read at most: a card from anywhere can have a file of gigabytes under any name
   */
  async readFile(path: string, limit = LARGEST_READ): Promise<Uint8Array | null> {
    const { parent, name } = split(path);
    const entry = (await this.list(parent)).find((candidate) => sameName(candidate.name, name));
    if (!entry || entry.folder) return null;
    if (entry.size === 0) return new Uint8Array();
    const size = Math.min(entry.size, limit);
    const wanted = Math.ceil(size / this.geometry.clusterSize);
    const clusters = await this.table.chain(entry.firstCluster, wanted);
    if (clusters.length < wanted)
      throw new DiskError('damaged', `The file ${path} is damaged: it is shorter than its folder says.`);
    return (await this.readClusters(clusters)).subarray(0, size);
  }

  /**
   * Creates a file or replaces the one of that name; folders that are missing are made.
   * @throws DiskError when the volume or the folder is full
   */
  async writeFile(path: string, content: Uint8Array, time: FatTime = FIXED_TIME): Promise<void> {
    const { parent, name } = split(path);
    refuseName(name);
    await this.makeFolder(parent, time);
    await this.removeFile(path);
    const { clusterSize } = this.geometry;
    const clusters = await this.table.allocate(Math.ceil(content.length / clusterSize));
    for (const [index, cluster] of clusters.entries()) {
      const block = new Uint8Array(clusterSize);
      block.set(content.subarray(index * clusterSize, (index + 1) * clusterSize));
      await this.source.write(this.offsetOf(cluster), block);
    }
    await this.addSlots(parent, name, clusters[0] ?? 0, content.length, time);
    await this.countFree(-clusters.length);
  }

  /** Makes a folder and those above it, as far as they are missing. @throws DiskError as `writeFile` */
  async makeFolder(path: string, time: FatTime = FIXED_TIME): Promise<void> {
    let above = '';
    for (const name of path.split('/').filter(Boolean)) {
      const here = above ? `${above}/${name}` : name;
      const there = (await this.list(above)).find((entry) => sameName(entry.name, name));
      if (there && !there.folder) throw new DiskError('unsupported', `${here} is a file and not a folder.`);
      if (!there) await this.addFolder(above, name, time);
      above = here;
    }
  }

  /** The first two entries are the folder itself and the one above, 0 for the root (specification 1.03, page 26). */
  private async addFolder(parent: string, name: string, time: FatTime): Promise<void> {
    refuseName(name);
    const above = parent === '' ? 0 : ((await this.folder(parent)).clusters[0] ?? 0);
    const [cluster = 0] = await this.table.allocate(1);
    const block = new Uint8Array(this.geometry.clusterSize);
    block.set(shortSlot('.'.padEnd(11), cluster, 0, time, 'folder'), 0);
    block.set(shortSlot('..'.padEnd(11), above, 0, time, 'folder'), SLOT);
    await this.source.write(this.offsetOf(cluster), block);
    await this.addSlots(parent, name, cluster, 0, time, 'folder');
    await this.countFree(-1);
  }

  /** Removes a file; nothing happens when there is none. @returns whether there was one */
  async removeFile(path: string): Promise<boolean> {
    const { parent, name } = split(path);
    const folder = await this.folder(parent);
    const entry = readEntries(folder.bytes).find((candidate) => sameName(candidate.name, name));
    if (!entry) return false;
    if (entry.folder) throw new DiskError('unsupported', `${path} is a folder.`);
    if (entry.firstCluster) {
      const clusters = await this.table.chain(entry.firstCluster);
      await this.table.free(clusters);
      await this.countFree(clusters.length);
    }
    for (let slot = entry.slot; slot < entry.slot + entry.slots; slot++)
      await this.writeSlot(folder, slot, Uint8Array.of(0xe5));
    return true;
  }

  private offsetOf(cluster: number): number {
    return this.geometry.dataOffset + (cluster - 2) * this.geometry.clusterSize;
  }

  private async readClusters(clusters: readonly number[]): Promise<Uint8Array> {
    const parts: Uint8Array[] = [];
    for (const cluster of clusters)
      parts.push(await this.source.read(this.offsetOf(cluster), this.geometry.clusterSize));
    return concatBytes(...parts);
  }

  private async folder(path: string): Promise<Folder> {
    const { rootCluster, rootOffset, rootSize } = this.geometry;
    let folder: Folder = rootCluster
      ? await this.folderAt(rootCluster)
      : {
          extents: [{ offset: rootOffset, size: rootSize }],
          clusters: [],
          bytes: await this.source.read(rootOffset, rootSize),
        };
    for (const part of path.split('/').filter(Boolean)) {
      const entry = readEntries(folder.bytes).find(
        (candidate) => candidate.folder && sameName(candidate.name, part),
      );
      if (!entry) throw new DiskError('missing', `The folder ${path} is not on the boot partition.`);
      folder = await this.folderAt(entry.firstCluster);
    }
    return folder;
  }

  private async folderAt(first: number): Promise<Folder> {
    const clusters = await this.table.chain(first, Math.ceil(LARGEST_FOLDER / this.geometry.clusterSize));
    const extents = clusters.map((cluster) => ({
      offset: this.offsetOf(cluster),
      size: this.geometry.clusterSize,
    }));
    return { extents, clusters, bytes: await this.readClusters(clusters) };
  }

  private async addSlots(
    parent: string,
    name: string,
    cluster: number,
    size: number,
    time: FatTime,
    kind: 'file' | 'folder' = 'file',
  ): Promise<void> {
    let folder = await this.folder(parent);
    const exact = exactShortName(name);
    const short = exact ?? shortNameFor(name, new Set(readEntries(folder.bytes).map((entry) => entry.short)));
    const slots = [...(exact ? [] : longNameSlots(name, short)), shortSlot(short, cluster, size, time, kind)];
    let first = freeRun(folder.bytes, slots.length);
    while (first < 0) {
      await this.growFolder(folder);
      folder = await this.folder(parent);
      first = freeRun(folder.bytes, slots.length);
    }
    // What lies behind the end mark may be old; the mark moves on with the entries.
    const after = first + slots.length;
    const tookEnd = folder.bytes
      .subarray(first * SLOT, after * SLOT)
      .some((value, at) => at % SLOT === 0 && value === 0);
    for (const [index, slot] of slots.entries()) await this.writeSlot(folder, first + index, slot);
    if (tookEnd && after * SLOT < folder.bytes.length) await this.writeSlot(folder, after, Uint8Array.of(0));
  }

  private async growFolder(folder: Folder): Promise<void> {
    const last = folder.clusters.at(-1);
    if (last === undefined) throw new DiskError('full', 'The boot partition’s root folder is full.');
    const [added] = await this.table.allocate(1);
    if (added === undefined) return;
    await this.source.write(this.offsetOf(added), new Uint8Array(this.geometry.clusterSize));
    await this.table.link([last, added]);
    await this.countFree(-1);
  }

  private async writeSlot(folder: Folder, slot: number, bytes: Uint8Array): Promise<void> {
    let at = slot * SLOT;
    for (const extent of folder.extents) {
      if (at < extent.size) return this.source.write(extent.offset + at, bytes);
      at -= extent.size;
    }
    throw new DiskError('damaged', 'A directory slot lies outside its folder.');
  }

  /** Keeps the free count of FAT32's information sector right (specification 1.03, page 21). */
  private async countFree(change: number): Promise<void> {
    const at = this.geometry.fsInfoOffset;
    if (at === null || change === 0) return;
    const sector = await this.source.read(at, 512);
    const view = new DataView(sector.buffer, sector.byteOffset, 512);
    const free = view.getUint32(488, true);
    if (view.getUint32(0, true) !== 0x41615252 || free === 0xffffffff) return;
    const bytes = new Uint8Array(4);
    new DataView(bytes.buffer).setUint32(0, free + change, true);
    await this.source.write(at + 488, bytes);
  }
}

function refuseName(name: string): void {
  if (!/^[^\x00-\x1f"*/:<>?\\|]{1,255}$/.test(name) || /[ .]$/.test(name))
    throw new DiskError('unsupported', `"${name}" cannot be a file name on the boot partition.`);
}

function split(path: string): { parent: string; name: string } {
  const at = path.lastIndexOf('/');
  return { parent: path.slice(0, Math.max(at, 0)), name: path.slice(at + 1) };
}
