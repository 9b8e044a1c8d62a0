import { DiskError } from '../disk-error';
import type { WritableSource } from '../overlay';
import type { FatGeometry } from './geometry';

/** Whole entries of 12, 16 and 32 bits fit into a page of this size. */
const pageSize = 98_304;

/** The file allocation table: which cluster follows which (Microsoft FAT specification 1.03, pages 13 to 19). */
export class FatTable {
  private readonly pages = new Map<number, Uint8Array>();
  private nextFree = 2;

  constructor(
    private readonly volume: WritableSource,
    private readonly geometry: FatGeometry,
  ) {}

  /**
   * Where the clusters of a file lie, in order.
   * @param most clusters after which it is enough
   * @throws DiskError on a loop or a link that leads nowhere
   */
  async chain(first: number, most = Infinity): Promise<number[]> {
    const clusters: number[] = [];
    const seen = new Set<number>();
    for (let cluster = first; ;) {
      if (cluster < 2 || cluster > this.geometry.clusters + 1 || seen.has(cluster))
        throw new DiskError(
          'damaged',
          'The boot partition’s file system is damaged: a file’s chain of clusters is broken.',
        );
      seen.add(cluster);
      clusters.push(cluster);
      const next = await this.get(cluster);
      if (next >= this.endMark || clusters.length >= most) return clusters;
      cluster = next;
    }
  }

  /** Takes free clusters and links them. @throws DiskError when the volume is full */
  async allocate(count: number): Promise<number[]> {
    const taken: number[] = [];
    const last = this.geometry.clusters + 1;
    for (let tried = 0; taken.length < count && tried < this.geometry.clusters; tried++) {
      const cluster = this.nextFree;
      this.nextFree = cluster >= last ? 2 : cluster + 1;
      // Without waiting where the page is at hand: a look for room passes tens of thousands of entries.
      const index = Math.floor(this.offsetOf(cluster) / pageSize);
      const page = this.pages.get(index) ?? (await this.page(index));
      if (this.entry(page, cluster) === 0) taken.push(cluster);
    }
    if (taken.length < count)
      throw new DiskError('full', 'The boot partition is full: the first-boot files do not fit.');
    await this.link(taken);
    return taken;
  }

  /** Links clusters in the order given and ends the chain. */
  async link(clusters: readonly number[]): Promise<void> {
    const end = this.geometry.bits === 12 ? 0xfff : this.geometry.bits === 16 ? 0xffff : 0x0fffffff;
    for (const [index, cluster] of clusters.entries()) await this.set(cluster, clusters[index + 1] ?? end);
  }

  /** Gives clusters back. */
  async free(clusters: readonly number[]): Promise<void> {
    for (const cluster of clusters) await this.set(cluster, 0);
  }

  /** First value that ends a chain. */
  private get endMark(): number {
    return { 12: 0xff8, 16: 0xfff8, 32: 0x0ffffff8 }[this.geometry.bits];
  }

  /** Offset of an entry in the table, in octets. */
  private offsetOf(cluster: number): number {
    return this.geometry.bits === 12 ? cluster + (cluster >> 1) : cluster * (this.geometry.bits / 8);
  }

  private async page(index: number): Promise<Uint8Array> {
    let page = this.pages.get(index);
    if (!page) {
      const at = index * pageSize;
      const length = Math.min(pageSize, this.geometry.fatSize - at);
      page = (await this.volume.read(this.geometry.fatOffset + at, length)).slice();
      this.pages.set(index, page);
    }
    return page;
  }

  private async get(cluster: number): Promise<number> {
    return this.entry(await this.page(Math.floor(this.offsetOf(cluster) / pageSize)), cluster);
  }

  private entry(page: Uint8Array, cluster: number): number {
    const at = this.offsetOf(cluster) % pageSize;
    const low = (page[at] ?? 0) | ((page[at + 1] ?? 0) << 8);
    if (this.geometry.bits === 12) return cluster % 2 ? low >> 4 : low & 0xfff;
    if (this.geometry.bits === 16) return low;
    return (low | ((page[at + 2] ?? 0) << 16) | (((page[at + 3] ?? 0) & 0x0f) << 24)) >>> 0;
  }

  private async set(cluster: number, value: number): Promise<void> {
    const offset = this.offsetOf(cluster);
    const index = Math.floor(offset / pageSize);
    const page = await this.page(index);
    const at = offset - index * pageSize;
    const width = this.geometry.bits === 32 ? 4 : 2;
    if (this.geometry.bits === 12) {
      const old = (page[at] ?? 0) | ((page[at + 1] ?? 0) << 8);
      const mixed = cluster % 2 ? (old & 0x000f) | (value << 4) : (old & 0xf000) | value;
      page.set([mixed & 255, mixed >> 8], at);
    } else if (this.geometry.bits === 16) page.set([value & 255, value >> 8], at);
    // The upper four bits of a 32-bit entry are reserved and kept.
    else
      page.set(
        [value & 255, (value >> 8) & 255, (value >> 16) & 255, ((page[at + 3] ?? 0) & 0xf0) | (value >> 24)],
        at,
      );
    for (let copy = 0; copy < this.geometry.fatCopies; copy++)
      await this.volume.write(
        this.geometry.fatOffset + copy * this.geometry.fatSize + offset,
        page.subarray(at, at + width),
      );
  }
}
