import type { ByteSource } from '../byte-source';
import { crc32c } from '../crc32c';
import { DiskError } from '../disk-error';
import { folderEntries, type FolderEntry } from './folder';
import { parseInode, type Inode } from './inode';
import { runsOf } from './runs';
import { damaged, readSuperblock, type ExtLayout } from './superblock';

export type { FileKind } from './inode';

const ROOT_INODE = 2;
/** Symbolic links that are followed for one path, as the kernel does it. */
const MOST_LINKS = 40;
/** Longest path of a link (PATH_MAX). */
const LONGEST_LINK = 4096;
/** Largest folder that is read: one of a few hundred thousand files. */
const LARGEST_FOLDER = 32 << 20;
/** Folders whose names are kept, since a system is asked for hundreds of paths. */
const FOLDERS_KEPT = 256;

/** What is known of a file without reading it. */
export type FileFacts = Pick<Inode, 'kind' | 'mode' | 'owner' | 'group' | 'size'>;

const isDot = ({ name }: FolderEntry): boolean => name === '.' || name === '..';

/** Reads an ext2, ext3 or ext4 file system. What it kept in its journal only is not seen. */
export class ExtVolume {
  private readonly folders = new Map<number, Map<string, number>>();

  private constructor(
    private readonly source: ByteSource,
    private readonly layout: ExtLayout,
  ) {}

  /** @throws DiskError when it is no ext file system, or one of which nothing can be read */
  static async open(source: ByteSource): Promise<ExtVolume> {
    return new ExtVolume(source, await readSuperblock(source));
  }

  /** When it was written to last, milliseconds since 1970; 0 where it does not tell. */
  get writtenAt(): number {
    return this.layout.writtenAt;
  }

  get label(): string {
    return this.layout.label;
  }

  /** Whether its journal holds changes that are not in their places yet, so that what is read may be older. */
  get needsRecovery(): boolean {
    return this.layout.needsRecovery;
  }

  /**
   * Beginning of a file; links are followed.
   * @param limit octets to read at most
   * @returns null when there is no such file
   * @throws DiskError when what leads to it is damaged, or when it is encrypted
   */
  async readFile(path: string, limit = 1 << 16): Promise<Uint8Array | null> {
    const inode = await this.find(path, true);
    return inode?.kind === 'file' ? this.content(inode, Math.min(limit, inode.size)) : null;
  }

  /** Names in a folder, links followed; none when there is no such folder. @throws DiskError as `readFile` */
  async list(path: string): Promise<string[]> {
    const number = await this.numberOf(path, true);
    return number === null ? [] : [...(await this.namesIn(number)).keys()];
  }

  /**
   * What a path names; links are followed.
   * @returns null when it names nothing
   * @throws DiskError as `readFile`
   */
  async stat(path: string): Promise<FileFacts | null> {
    return this.find(path, true);
  }

  /** Where a symbolic link leads; null when the path names none. @throws DiskError as `readFile` */
  async readLink(path: string): Promise<string | null> {
    const inode = await this.find(path, false);
    return inode?.kind === 'link' ? this.targetOf(inode) : null;
  }

  private async find(path: string, follow: boolean): Promise<Inode | null> {
    const number = await this.numberOf(path, follow);
    return number === null ? null : this.inode(number);
  }

  /** @param follow whether a link at the path's end is followed too */
  private async numberOf(path: string, follow: boolean): Promise<number | null> {
    let parts = path.split('/').filter((part) => part !== '');
    let links = 0;
    let number = ROOT_INODE;
    const trail: number[] = [];
    for (let at = 0; at < parts.length; at++) {
      const name = parts[at] ?? '';
      if (name === '.') continue;
      if (name === '..') {
        trail.pop();
        number = trail.at(-1) ?? ROOT_INODE;
        continue;
      }
      const next = (await this.namesIn(number)).get(name);
      if (next === undefined) return null;
      const inode = await this.inode(next);
      if (inode.kind === 'link' && (follow || at < parts.length - 1)) {
        if (++links > MOST_LINKS) throw damaged();
        const target = await this.targetOf(inode);
        parts = [...target.split('/').filter((part) => part !== ''), ...parts.slice(at + 1)];
        if (target.startsWith('/')) {
          number = ROOT_INODE;
          trail.length = 0;
        }
        at = -1;
        continue;
      }
      trail.push(next);
      number = next;
    }
    return number;
  }

  private async targetOf(inode: Inode): Promise<string> {
    return new TextDecoder().decode(await this.content(inode, Math.min(inode.size, LONGEST_LINK)));
  }

  /** Names in a folder with the numbers of their inodes; empty for what is no folder. */
  private async namesIn(number: number): Promise<ReadonlyMap<string, number>> {
    const kept = this.folders.get(number);
    if (kept) return kept;
    const names = new Map<string, number>();
    const inode = await this.inode(number);
    if (inode.kind === 'folder') {
      if (inode.size > LARGEST_FOLDER)
        throw new DiskError('unsupported', 'A folder of the root file system is too large to be read.');
      const content = await this.content(inode, inode.size);
      for (const entry of folderEntries(inode, content, this.layout.blockSize))
        if (!isDot(entry)) names.set(entry.name, entry.number);
    }
    if (this.folders.size >= FOLDERS_KEPT) this.folders.clear();
    this.folders.set(number, names);
    return names;
  }

  private async inode(number: number): Promise<Inode> {
    const { inodesPerGroup, inodeCount, inodeSize, descriptorSize, blockSize, seed } = this.layout;
    if (number < 1 || number > inodeCount) throw damaged();
    const group = Math.floor((number - 1) / inodesPerGroup);
    const table = await this.read(this.layout.descriptorAt(group), descriptorSize);
    if (seed !== null) this.checkDescriptor(table, group, seed);
    const view = new DataView(table.buffer, table.byteOffset, descriptorSize);
    const high = descriptorSize >= 64 ? view.getUint32(0x28, true) : 0;
    const start = (high * 2 ** 32 + view.getUint32(8, true)) * blockSize;
    const bytes = await this.read(start + ((number - 1) % inodesPerGroup) * inodeSize, inodeSize);
    return parseInode(bytes, number, seed);
  }

  private checkDescriptor(bytes: Uint8Array, group: number, seed: number): void {
    const copy = new Uint8Array(4 + bytes.length);
    const view = new DataView(copy.buffer);
    view.setUint32(0, group, true);
    copy.set(bytes, 4);
    const kept = view.getUint16(4 + 0x1e, true);
    view.setUint16(4 + 0x1e, 0, true);
    if (kept !== (crc32c(seed, copy) & 0xffff)) throw damaged();
  }

  private async read(offset: number, length: number): Promise<Uint8Array> {
    if (offset + length > this.source.size) throw damaged();
    return this.source.read(offset, length);
  }

  private async content(inode: Inode, length: number): Promise<Uint8Array> {
    if (inode.encrypted)
      throw new DiskError(
        'unsupported',
        'This part of the root file system is encrypted and cannot be read.',
      );
    if (inode.inline) return inode.inline.subarray(0, length);
    const { blockSize } = this.layout;
    const block = async (place: number): Promise<DataView> => {
      const bytes = await this.read(place * blockSize, blockSize);
      return new DataView(bytes.buffer, bytes.byteOffset, blockSize);
    };
    const content = new Uint8Array(length);
    for (const run of await runsOf(inode, Math.ceil(length / blockSize), blockSize, block)) {
      const at = run.first * blockSize;
      const count = Math.min(run.count * blockSize, length - at);
      content.set(await this.read(run.place * blockSize, count), at);
    }
    return content;
  }
}
